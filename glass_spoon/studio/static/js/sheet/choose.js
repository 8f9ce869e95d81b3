/** Several lines at once: chosen with Shift and Ctrl, copied and pasted as text, dragged, moved, paused, removed. */
import { Listening, SWAPPED } from "../listening.js";
import { isChoosing, lineOf } from "./clicks.js";

const TYPED = "input, select, textarea, [contenteditable]";

export class Choose {
  /** @param {HTMLElement} root the bench @param {Edits} edits @param {Board} board @param {Stand} stand */
  constructor(root, edits, board, stand) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.stand = stand;
    this.listening = new Listening();
    /** Ids of the chosen lines. @type {Set<string>} */
    this.ids = new Set();
    /** The line from which Shift chooses on. */
    this.from = "";
    /** What is dragged. @type {string[]} */
    this.dragged = [];
    /** @type {Object<string, () => void>} */
    this.acts = {
      copy: () => this.copy(this.inOrder()),
      up: () => this.edit("move_many", { by: "-1" }),
      down: () => this.edit("move_many", { by: "1" }),
      pause: () => this.edit("pause_many", { paused: this.allPaused() ? "0" : "1" }),
      step: () => this.makeStep(),
      remove: () => this.edit("remove_many", {}),
      clear: () => this.choose([]),
    };
  }

  connect() {
    this.lines = /** @type {HTMLElement} */ (this.root.querySelector(".sheet-lines"));
    this.bar = /** @type {?HTMLElement} */ (this.root.querySelector(".chosen-bar"));
    if (!this.bar) return;
    this.listening.on(this.lines, "click", (event) => this.onClick(event), { capture: true });
    this.listening.on(this.root, "click", (event) => this.onButton(event));
    this.listening.on(document, "keydown", (event) => this.onKey(event));
    this.listening.on(document, "copy", (event) => this.onCopy(event));
    this.listening.on(document, "paste", (event) => this.onPaste(event));
    for (const name of SWAPPED) this.listening.on(document.body, name, () => this.show());
    for (const name of ["dragstart", "dragenter", "dragover", "dragleave", "drop", "dragend"]) this.listening.on(this.lines, name, (event) => this[name](event));
    this.listening.on(document, "pointerdown", (event) => (event.target.closest(".line-grip") ? this.edits.hold() : this.edits.letGo()));
    this.listening.on(document, "pointerup", () => this.edits.letGo());
  }

  disconnect() {
    this.listening.end();
  }

  /** @returns {HTMLElement[]} all lines in order, headings of steps too */
  all() {
    return /** @type {HTMLElement[]} */ ([...this.lines.querySelectorAll(".line, .step-head")]);
  }

  /** @returns {string[]} the chosen ones in the order of the sheet */
  inOrder() {
    return this.all().map((line) => line.dataset.line).filter((id) => this.ids.has(id));
  }

  allPaused() {
    return this.inOrder().every((id) => this.lines.querySelector(`.line[data-line="${id}"]`)?.classList.contains("is-paused"));
  }

  onClick(event) {
    const line = lineOf(event);
    if (line && isChoosing(event)) {
      event.preventDefault();
      event.stopPropagation();
      this.add(line.dataset.line, event);
    } else if (line) this.from = line.dataset.line;
  }

  /** Choose a line more or less, or with Shift all from the one before. @param {string} id @param {MouseEvent} event */
  add(id, event) {
    const order = this.all().map((other) => other.dataset.line);
    if (event.shiftKey && order.includes(this.from)) {
      const [first, last] = [order.indexOf(this.from), order.indexOf(id)].sort((a, b) => a - b);
      this.choose([...(event.ctrlKey || event.metaKey ? this.ids : []), ...order.slice(first, last + 1)]);
      return;
    }
    this.from = id;
    this.choose(this.ids.has(id) ? [...this.ids].filter((other) => other !== id) : [...this.ids, id]);
  }

  /** @param {string[]} ids */
  choose(ids) {
    this.ids = new Set(ids);
    if (!ids.length) this.from = "";
    window.getSelection()?.removeAllRanges();
    this.show();
  }

  show() {
    const there = this.all();
    this.ids = new Set(there.map((line) => line.dataset.line).filter((id) => this.ids.has(id)));
    for (const line of there) line.classList.toggle("is-chosen", this.ids.has(line.dataset.line));
    this.bar.hidden = !this.ids.size;
    this.bar.querySelector(".chosen-count").textContent = `${this.ids.size} line${this.ids.size === 1 ? "" : "s"} chosen`;
    this.bar.querySelector("[data-chosen=pause]").textContent = this.ids.size && this.allPaused() ? "Take up" : "Pause";
  }

  onButton(event) {
    const button = event.target.closest("[data-chosen], [data-step-move], [data-step-copy], [data-step-keep], [data-step-pause], [data-step-remove]");
    if (!button) return;
    const { chosen, stepMove, stepCopy, stepKeep, stepPause, stepRemove, by, paused, whole } = button.dataset;
    if (chosen) this.acts[chosen]();
    else if (stepMove) this.edits.change({ op: "move_many", lines: stepMove, by });
    else if (stepCopy) this.copy(this.ofStep(stepCopy));
    else if (stepKeep) this.keep(this.ofStep(stepKeep));
    else if (stepPause) this.edits.change({ op: "pause_many", lines: this.ofStep(stepPause).slice(1).join(), paused });
    else this.edits.change({ op: "remove_many", lines: stepRemove, whole });
  }

  /** @param {string} id @returns {string[]} the heading of a step and its lines */
  ofStep(id) {
    const step = this.lines.querySelector(`.step[data-step="${id}"]`);
    return [id, .../** @type {HTMLElement[]} */ ([...step.querySelectorAll(".line")]).map((line) => line.dataset.line)];
  }

  edit(op, values) {
    return this.edits.change({ op, lines: this.inOrder().join(), ...values });
  }

  onKey(event) {
    if (event.defaultPrevented || !this.ids.size || event.target.closest?.(TYPED)) return;
    const act = event.altKey ? { ArrowUp: "up", ArrowDown: "down" }[event.key] : { Escape: "clear", Delete: "remove" }[event.key];
    if (!act) return;
    event.preventDefault();
    this.acts[act]();
  }

  /** Gather the chosen lines under a heading, whose name is typed at once. */
  async makeStep() {
    const known = new Set([...this.lines.querySelectorAll(".step-head")].map((head) => head.id));
    await this.edit("make_step", { title: "Step" });
    const made = [...this.lines.querySelectorAll(".step-head")].find((head) => !known.has(head.id));
    this.choose([]);
    /** @type {?HTMLElement} */ (made?.querySelector(".step-name"))?.click();
  }

  /** @returns {Promise<string>} lines as text */
  async textOf(ids) {
    const answer = await this.edits.session.ask(`${this.root.dataset.linesUrl}?lines=${encodeURIComponent(ids.join())}`);
    if (!answer.ok) throw new Error("no text");
    return answer.text();
  }

  /** Keep lines as a starter of the project, and show those that it has. @param {string[]} ids */
  keep(ids) {
    window.htmx.ajax("POST", this.root.dataset.starterUrl, { target: "#slip-content", swap: "innerHTML", values: { lines: ids.join() } });
  }

  /** Put lines on the clipboard as text. @param {string[]} ids */
  async copy(ids) {
    const many = `${ids.length} line${ids.length === 1 ? "" : "s"}`;
    try {
      await navigator.clipboard.writeText(await this.textOf(ids));
      this.board.note(`${many} copied. Paste them in this part, in another, or in a mail.`);
    } catch {
      this.board.note(`${many} could not be copied: this browser does not let the page at the clipboard.`);
    }
  }

  /** @returns {boolean} whether copying and pasting belongs to the sheet now, not to a field or a selection */
  isMine(target) {
    return !target?.closest?.(TYPED) && !document.querySelector("dialog[open]") && !String(window.getSelection());
  }

  onCopy(event) {
    const ids = this.ids.size ? this.inOrder() : this.stand.id ? [this.stand.id] : [];
    if (!ids.length || !this.isMine(event.target)) return;
    event.preventDefault();
    this.copy(ids);
  }

  async onPaste(event) {
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!text.trim() || !this.isMine(event.target)) return;
    event.preventDefault();
    const known = this.stand.known();
    const after = this.inOrder().at(-1) ?? this.stand.behind;
    if (!(await this.edits.change({ op: "paste", text, after }))) return;
    const put = this.all().map((line) => line.dataset.line).filter((id) => !known.has(id));
    this.choose(put.filter((id) => this.lines.querySelector(`.line[data-line="${id}"]`)));
    this.stand.onAdded(known);
  }

  dragstart(event) {
    const line = event.target.closest(".line, .step-head");
    if (!line || !event.target.closest(".line-grip")) return;
    const id = line.dataset.line;
    this.dragged = this.ids.has(id) ? this.inOrder() : [id];
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", line.querySelector(".prose, .step-title").textContent);
    event.dataTransfer.setDragImage(line, 12, 12);
  }

  /** @returns {?HTMLElement} the line behind which what is dragged would go */
  target(event) {
    const line = event.target.closest(".line, .step-head");
    if (!line) return null;
    const box = line.getBoundingClientRect();
    if (event.clientY > box.top + box.height / 2) return line;
    return this.all()[this.all().indexOf(line) - 1] ?? line;
  }

  dragenter(event) {
    this.dragover(event);
  }

  dragover(event) {
    if (!this.dragged.length) return;
    event.preventDefault();
    this.unmark();
    this.target(event)?.classList.add("is-drop-behind");
  }

  dragleave() {
    this.unmark();
  }

  drop(event) {
    if (!this.dragged.length) return;
    event.preventDefault();
    const line = this.target(event);
    const ids = this.dragged;
    this.dragend();
    if (line && !ids.includes(line.dataset.line)) this.edits.change({ op: "move_many", lines: ids.join(), after: line.dataset.line });
  }

  dragend() {
    this.edits.letGo();
    this.dragged = [];
    this.unmark();
  }

  unmark() {
    this.lines.querySelectorAll(".is-drop-behind").forEach((line) => line.classList.remove("is-drop-behind"));
  }
}
