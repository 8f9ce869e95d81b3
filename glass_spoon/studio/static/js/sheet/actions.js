/** Buttons of the sheet and the gauges: lines moved, paused, tried otherwise; levels and offenders shown. */
export class SheetActions {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
  }

  connect() {
    this.root.addEventListener("pointerover", (event) => this.tellLine(event.target.closest?.(".line")));
    this.root.addEventListener("focusin", (event) => this.tellLine(event.target.closest?.(".line")));
    document.body.addEventListener("click", (event) => this.onClick(event));
    document.body.addEventListener("submit", (event) => this.onSubmit(event));
    this.root.addEventListener("change", (event) => {
      const choice = event.target.closest("[data-view-choice]");
      if (choice) this.edits.look({ [choice.dataset.viewChoice]: choice.value });
      else if (event.target.dataset.rewrite && event.target.value) this.rewrite(event.target);
      else if ("combScale" in event.target.dataset) this.scaleComb(event.target);
    });
  }

  /** Say in the bar below what the line under the hand did: beside the line it would push the sheet. @param {?Element} line */
  tellLine(line) {
    const told = line?.querySelector(".told:not(.is-kept)")?.textContent ?? "";
    if (told === this.told) return;
    this.told = told;
    const place = this.root.querySelector(".statusbar .line-told");
    place.textContent = told && `Line ${line.querySelector(".line-number").textContent}: ${told}`;
  }

  onClick(event) {
    const button = event.target.closest("button");
    if (!button) return;
    const data = button.dataset;
    if (data.move) this.edits.change({ op: "move", line: data.move, by: data.by });
    else if (data.pause) this.edits.change({ op: "pause", line: data.pause, paused: data.paused });
    else if (data.stopReading) this.edits.change({ op: "stop_reading", line: data.stopReading });
    else if (data.tryValues) this.edits.change({ op: "set_many", line: data.tryLine, values: data.tryValues });
    else if (data.addVerb) this.edits.change({ op: "work", verb: data.addVerb, item: data.addItem, after: data.addAfter, values: data.addValues ?? "{}" });
    else if (data.tryLine) this.edits.change({ op: "set", line: data.tryLine, field: data.tryField, value: data.tryValue });
    else if (data.after) this.edits.look({ shown_after: this.edits.state().shown_after === data.after ? "" : data.after });
    else if ("showAll" in data) this.edits.look({ shown_after: "" });
    else if (data.level) this.edits.look({ level: data.level });
    else if (data.viewSet) this.edits.look({ [data.viewSet]: data.viewValue });
    else if (data.history) this.edits.step(data.history);
    else if ("stopTrying" in data) this.edits.stop();
    else if ("takeSaved" in data) this.edits.look({});
    else if (data.gauge) this.showOffenders({ gauge: data.gauge }, button);
    else if (data.done) this.showOffenders({ done: data.done }, button);
    else if (data.firstVerb) this.addFirst(data.firstVerb);
    else if ("dismiss" in data) button.closest(".message").remove();
  }

  /** Make a change that came too late on top of what is saved. */
  onSubmit(event) {
    if (!("applyAgain" in event.target.dataset)) return;
    event.preventDefault();
    this.edits.change(Object.fromEntries(new FormData(event.target)));
  }

  /** Write a drawn curve in another manner, within the tolerance typed beside. */
  rewrite(choice) {
    const tolerance = choice.closest("p").querySelector("[data-rewrite-tolerance]").value;
    this.edits.change({ op: "rewrite", line: choice.dataset.rewrite, manner: choice.value, tolerance });
    choice.value = "";
  }

  scaleComb(input) {
    this.board.combScale = Number(input.value) || 1;
    this.board.drawings.forEach((view) => view.drawComb());
  }

  /** Add a line of a verb and lead on to what it needs first. */
  async addFirst(verb) {
    const known = new Set([...this.root.querySelectorAll(".line")].map((line) => line.dataset.line));
    await this.edits.change({ op: "add", verb, text: "" });
    const added = [...this.root.querySelectorAll(".line")].find((line) => !known.has(line.dataset.line));
    if (verb === "draw" && added) this.board.pen.begin(added.dataset.line);
  }

  /** @param {{ gauge?: string, done?: string }} asked a gauge, or the line that worked on them @param {HTMLElement} button */
  async showOffenders(asked, button) {
    const was = button.closest(".gauge")?.classList.contains("is-pointing");
    this.root.querySelectorAll(".is-pointing").forEach((element) => element.classList.remove("is-pointing"));
    if (was) {
      this.board.offenders.show(null);
      return;
    }
    const query = new URLSearchParams({ ...this.edits.state(), ...asked });
    const answer = await this.edits.session.ask(`${this.root.dataset.offendersUrl}?${query}`).catch(() => null);
    if (!answer?.ok) return;
    this.board.offenders.show(await answer.json());
    this.root.querySelector(`.gauge[data-code="${asked.gauge}"]`)?.classList.add("is-pointing");
  }
}
