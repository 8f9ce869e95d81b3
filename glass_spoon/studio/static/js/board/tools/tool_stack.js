/**
 * The tools of the board, and who is asked: one that was begun before those that always stand ready, the last one begun first.
 *
 * A press goes to the first tool that claims it and stays there until the hand lets go. Keys go to the first that takes them.
 */
import { Listening } from "../../listening.js";

export class ToolStack {
  /**
   * @param {Board} board
   * @param {Tool[]} tools as they stand, those asked first before others
   * @param {Tool} twoFingers what takes over when a second finger comes down
   */
  constructor(board, tools, twoFingers) {
    this.board = board;
    this.tools = tools;
    this.twoFingers = twoFingers;
    /** @type {Tool[]} */
    this.begun = [];
    /** @type {?Tool} */
    this.holder = null;
    this.view = null;
    /** @type {Map<number, PointerEvent>} fingers that are down, by the event that brought them */
    this.fingers = new Map();
    this.listening = new Listening();
    /** Takes what the hand is at, for the hints of keys. @type {(mood: "rest" | "placing" | "marking" | "chosen") => void} */
    this.onMood = () => {};
  }

  connect() {
    const { element } = this.board;
    this.listening.on(element, "pointerdown", (event) => this.onDown(event), { capture: true });
    this.listening.on(element, "mousedown", (event) => this.holder?.keepsFocus && event.preventDefault(), { capture: true });
    this.listening.on(element, "pointermove", (event) => this.onMove(event));
    for (const type of ["pointerup", "pointercancel"]) this.listening.on(element, type, (event) => this.onUp(event));
    this.listening.on(element, "dblclick", (event) => this.onDouble(event));
    for (const tool of this.tools) tool.connect(this.listening);
  }

  disconnect() {
    this.listening.end();
    for (const tool of this.tools) tool.disconnect();
  }

  /** @returns {Tool[]} in the order in which they are asked */
  order() {
    const rest = this.tools.filter((tool) => !this.begun.includes(tool));
    return [...rest.filter((tool) => tool.goesFirst), ...this.begun, ...rest.filter((tool) => !tool.goesFirst)];
  }

  /** From now on a tool is asked first. @param {Tool} tool */
  begin(tool) {
    this.end(tool);
    this.begun.unshift(tool);
  }

  /** A tool stands back in its place. @param {Tool} tool */
  end(tool) {
    this.begun = this.begun.filter((other) => other !== tool);
  }

  /** @returns {?Press} an event as a press in a view; null beside them, as on a button */
  press(event) {
    const view = this.board.viewOf(event.target);
    return view && { event, view };
  }

  onDown(event) {
    const press = this.press(event);
    if (!press) return;
    if (event.pointerType === "touch") this.fingers.set(event.pointerId, event);
    if (this.holder && this.fingers.size === 2) this.handOver(press.view);
    else if (this.holder) return;
    this.holder ??= this.order().find((tool) => tool.claims(press)) ?? null;
    if (!this.holder) return;
    this.view = press.view;
    // Nobody else is told: a click that a tool takes turns no picture and moves no view.
    event.stopPropagation();
    press.view.surface.setPointerCapture(event.pointerId);
    this.holder.down(press);
  }

  /** A second finger is down: what the first one began ends, and two fingers move the view. */
  handOver(view) {
    const [first] = this.fingers.values();
    if (this.holder === this.twoFingers) return;
    this.holder.up({ event: first, view });
    this.holder = view.isPicture ? null : this.twoFingers;
    this.holder?.down({ event: first, view });
  }

  onMove(event) {
    if (this.holder) {
      this.view.tell(event);
      this.holder.move({ event, view: this.view });
      return;
    }
    const press = this.press(event);
    if (!press) return;
    this.board.lastView = press.view.element;
    press.view.tell(event);
    for (const tool of this.order()) if (tool.hover(press)) return;
  }

  onUp(event) {
    this.fingers.delete(event.pointerId);
    const { holder, view } = this;
    if (!holder) return;
    this.holder = null;
    holder.up({ event, view });
  }

  onDouble(event) {
    const press = this.press(event);
    if (!press) return;
    for (const tool of this.order()) if (tool.double(press)) return;
    if (press.view.isPicture) this.board.fit();
  }

  /** @param {KeyboardEvent} event @returns {boolean} whether a tool took the key */
  key(event) {
    return this.order().some((tool) => tool.key(event));
  }

  /** The part is shown anew. @param {Object} extras */
  update(extras) {
    for (const tool of this.tools) tool.update(extras);
  }

  /** A view has changed: tools draw their own in it. */
  draw(view) {
    for (const tool of this.tools) tool.draw(view);
  }
}
