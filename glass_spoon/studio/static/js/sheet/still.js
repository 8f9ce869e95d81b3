/**
 * Keeps the sheet still under the hand: the line that is worked on, or pointed at, stays where it is on the screen, whatever an
 * answer puts above it; and what had the focus has it again.
 */
export class Still {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.pointer = null;
    this.held = null;
  }

  connect() {
    this.lines = this.root.querySelector(".sheet-lines");
    this.onPoint = (event) => (this.pointer = [event.clientX, event.clientY]);
    this.onBefore = () => this.hold();
    this.onAfter = () => this.restore();
    this.root.addEventListener("pointermove", this.onPoint, { passive: true });
    document.body.addEventListener("htmx:beforeSwap", this.onBefore);
    document.body.addEventListener("htmx:afterSwap", this.onAfter);
    document.body.addEventListener("htmx:oobAfterSwap", this.onAfter);
  }

  disconnect() {
    this.root.removeEventListener("pointermove", this.onPoint);
    document.body.removeEventListener("htmx:beforeSwap", this.onBefore);
    document.body.removeEventListener("htmx:afterSwap", this.onAfter);
    document.body.removeEventListener("htmx:oobAfterSwap", this.onAfter);
  }

  /** Note where the line that counts stands, and what has the focus. */
  hold() {
    const line = this.lineThatCounts();
    const focused = document.activeElement;
    this.held = {
      line: line?.id,
      top: line?.getBoundingClientRect().top,
      scroll: this.lines.scrollTop,
      focus: focused && focused !== document.body && focused.closest("#sheet, #sheet-foot, #sheet-head") ? focused.id : "",
    };
  }

  restore() {
    if (!this.held) return;
    const line = this.held.line && document.getElementById(this.held.line);
    if (line) {
      const off = line.getBoundingClientRect().top - this.held.top;
      if (Math.abs(off) > 0.5) this.lines.scrollTop += off;
    } else this.lines.scrollTop = this.held.scroll;
    if (this.held.focus && document.activeElement === document.body) document.getElementById(this.held.focus)?.focus({ preventScroll: true });
  }

  /** @returns {?Element} the line with the focus, under the pointer, or the first one in sight */
  lineThatCounts() {
    const focused = document.activeElement?.closest?.(".line");
    if (focused && this.isSeen(focused)) return focused;
    const pointed = this.pointer && document.elementFromPoint(this.pointer[0], this.pointer[1])?.closest(".line");
    if (pointed) return pointed;
    return [...this.lines.querySelectorAll(".line")].find((line) => this.isSeen(line));
  }

  isSeen(line) {
    const own = line.getBoundingClientRect();
    const frame = this.lines.getBoundingClientRect();
    return own.bottom > frame.top && own.top < frame.bottom;
  }
}
