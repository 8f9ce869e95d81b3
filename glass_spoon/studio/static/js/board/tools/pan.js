/** Moving and zooming a drawing view: by the hand, the wheel, or two fingers. A click without a move is the pen's. */
import { Tool } from "./tool.js";

/** How much a wheel's step zooms. */
const WHEEL = 0.0015;
/** Pixels from which a press is a move. */
const DRAG = 3;

export class Pan extends Tool {
  constructor(board) {
    super(board);
    this.from = null;
    this.moved = false;
    /** @type {Map<number, {clientX: number, clientY: number}>} */
    this.fingers = new Map();
  }

  connect(listening) {
    for (const view of this.board.drawings) listening.on(view.svg, "wheel", (event) => this.onWheel(event, view), { passive: false });
  }

  onWheel(event, view) {
    event.preventDefault();
    const before = view.fromEvent(event);
    view.space.zoomBy(Math.exp(-event.deltaY * WHEEL));
    view.keepUnder(before, event);
  }

  claims({ view }) {
    return !view.isPicture;
  }

  down({ event }) {
    if (event.pointerType === "touch") this.fingers.set(event.pointerId, placeOf(event));
    this.from = placeOf(event);
    this.start = this.from;
    this.moved = false;
  }

  move({ event, view }) {
    if (this.pinch(event, view)) return;
    this.moved ||= Math.hypot(event.clientX - this.start.clientX, event.clientY - this.start.clientY) > DRAG;
    if (!this.moved) return;
    const [a, b] = [view.fromEvent(this.from), view.fromEvent(event)];
    this.from = placeOf(event);
    view.moveBy(a[0] - b[0], a[1] - b[1]);
  }

  up(press) {
    this.fingers.clear();
    if (!this.moved && press.event.type === "pointerup" && press.event.button === 0) this.board.pen.click(press);
  }

  /** Zoom and move by two fingers. @returns {boolean} whether two are down */
  pinch(event, view) {
    if (!this.fingers.has(event.pointerId)) return false;
    const before = [...this.fingers.values()];
    this.fingers.set(event.pointerId, placeOf(event));
    if (before.length !== 2) return false;
    this.moved = true;
    const [was, is] = [before, [...this.fingers.values()]].map(([a, b]) => ({
      clientX: (a.clientX + b.clientX) / 2,
      clientY: (a.clientY + b.clientY) / 2,
      apart: Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY),
    }));
    const place = view.fromEvent(was);
    view.space.zoomBy(is.apart / Math.max(was.apart, 1));
    view.keepUnder(place, is);
    return true;
  }
}

function placeOf({ clientX, clientY }) {
  return { clientX, clientY };
}
