/** Buttons of the sheet and the gauges: lines moved, paused, tried otherwise; levels and offenders shown. */
import { Listening } from "../listening.js";

export class SheetActions {
  constructor(root, edits, board, stand) {
    this.stand = stand;
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.listening = new Listening();
    /** What buttons do, by the first of these names that their data have. @type {Object<string, (data: DOMStringMap, button: any) => void>} */
    this.buttons = {
      move: (data) => edits.change({ op: "move", line: data.move, by: data.by }),
      pause: (data) => edits.change({ op: "pause", line: data.pause, paused: data.paused }),
      stopReading: (data) => edits.change({ op: "stop_reading", line: data.stopReading }),
      tryValues: (data) => edits.change({ op: "set_many", line: data.tryLine, values: data.tryValues }),
      addMark: (data) => edits.change({ op: "mark_for", line: data.addMark, values: data.addValues }),
      addFill: (data) => edits.change({ op: "fill_for", line: data.addFill, item: data.addItem }),
      addVerb: (data) => edits.change({ op: "work", verb: data.addVerb, item: data.addItem, after: data.addAfter, values: data.addValues ?? "{}" }),
      become: (data) => edits.change({ op: "become", line: data.of, verb: data.become }),
      moveBefore: (data) => edits.change({ op: "move_before", line: data.of, before: data.moveBefore }),
      tryLine: (data) => edits.change({ op: "set", line: data.tryLine, field: data.tryField, value: data.tryValue }),
      after: (data) => edits.look({ shown_after: edits.state().shown_after === data.after ? "" : data.after }),
      showAll: () => edits.look({ shown_after: "" }),
      level: (data) => edits.look({ level: data.level }),
      viewSet: (data) => edits.look({ [data.viewSet]: data.viewValue }),
      history: (data) => edits.step(/** @type {"undo" | "redo"} */ (data.history)),
      stopTrying: () => edits.stop(),
      stopWork: () => edits.stop("work"),
      goOn: () => edits.stop("on"),
      takeSaved: () => edits.look({}),
      gauge: (data, button) => this.showOffenders({ gauge: data.gauge }, button),
      done: (data, button) => this.showOffenders({ done: data.done }, button),
      firstVerb: (data) => this.addFirst(data.firstVerb),
      dismiss: (_data, button) => button.closest(".message").remove(),
    };
  }

  connect() {
    this.listening.on(this.root, "pointerover", (event) => this.tellLine(event.target.closest?.(".line")));
    this.listening.on(this.root, "focusin", (event) => this.standOn(event.target.closest?.(".line")));
    this.listening.on(this.root, "click", (event) => this.standOn(event.target.closest?.(".line")));
    this.listening.on(document.body, "click", (event) => this.onClick(event));
    this.listening.on(document.body, "submit", (event) => this.onSubmit(event));
    this.listening.on(this.root, "change", (event) => {
      const choice = event.target.closest("[data-view-choice]");
      if (choice) this.edits.look({ [choice.dataset.viewChoice]: choice.value });
      else if (event.target.dataset.rewrite && event.target.value) this.rewrite(event.target);
      else if ("combScale" in event.target.dataset) this.scaleComb(event.target);
    });
  }

  disconnect() {
    this.listening.end();
  }

  /** The hand is at a line: it is told, and its handles are shown. @param {?HTMLElement} line */
  standOn(line) {
    if (!line) return;
    this.tellLine(line);
    this.board.handles.standOn(line.dataset.line);
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
    const name = button && Object.keys(this.buttons).find((key) => key in button.dataset);
    if (name) this.buttons[name](button.dataset, button);
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
    const known = this.stand.known();
    await this.edits.change({ op: "add", verb, text: "" });
    const added = this.stand.onAdded(known);
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
