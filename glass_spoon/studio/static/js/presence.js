/** Who else is at the part and on which line, and their changes as they arrive. */
const EVERY = 1400;
const EVERY_UNSEEN = 8000;
/** Milliseconds for which a change of somebody else is told. */
const NEWS_FOR = 5000;

export class Presence {
  /** @param {HTMLElement} root the bench @param {Edits} edits @param {Board} board */
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.timer = 0;
    this.people = [];
    this.isDown = false;
    this.news = "";
    this.newsTimer = 0;
  }

  connect() {
    this.onDown = () => (this.isDown = true);
    this.onUp = () => (this.isDown = false);
    this.onSwap = () => this.mark();
    this.onSeen = () => !document.hidden && this.soon(0);
    window.addEventListener("pointerdown", this.onDown, true);
    window.addEventListener("pointerup", this.onUp, true);
    window.addEventListener("pointercancel", this.onUp, true);
    document.body.addEventListener("htmx:afterSwap", this.onSwap);
    document.addEventListener("visibilitychange", this.onSeen);
    this.soon(EVERY);
  }

  disconnect() {
    clearTimeout(this.timer);
    clearTimeout(this.newsTimer);
    window.removeEventListener("pointerdown", this.onDown, true);
    window.removeEventListener("pointerup", this.onUp, true);
    window.removeEventListener("pointercancel", this.onUp, true);
    document.body.removeEventListener("htmx:afterSwap", this.onSwap);
    document.removeEventListener("visibilitychange", this.onSeen);
  }

  soon(pause) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.look(), pause);
  }

  async look() {
    try {
      const line = /** @type {?HTMLElement} */ (document.activeElement?.closest?.(".line"))?.dataset.line ?? "";
      const answer = await fetch(`${this.root.dataset.nowUrl}?line=${encodeURIComponent(line)}`, { headers: { Accept: "application/json" } });
      if (answer.ok) this.take(await answer.json());
    } catch {
      // no connection: the next edit says so, and the next look may find one
    }
    this.soon(document.hidden ? EVERY_UNSEEN : EVERY);
  }

  /** @param {{revision: number, last: string, by: string, people: {name: string, line: string}[]}} told */
  take(told) {
    this.people = told.people;
    this.mark();
    if (told.revision <= Number(this.edits.state().revision) || this.edits.waiting || this.isBusy()) return;
    this.news = `${told.by || "Somebody"}: ${told.last}`;
    clearTimeout(this.newsTimer);
    this.newsTimer = setTimeout(() => this.forget(), NEWS_FOR);
    this.edits.look({});
  }

  forget() {
    this.news = "";
    this.mark();
  }

  /** Whether a hand types in the sheet, or holds something: then what others did waits. */
  isBusy() {
    const focused = document.activeElement;
    return this.isDown || this.board.pen.isSaving || Boolean(focused?.matches("input, textarea, select") && focused.closest("#sheet, #sheet-foot, #sheet-head"));
  }

  /** Show who is here, in the bar and at their lines. */
  mark() {
    const place = /** @type {HTMLElement} */ (this.root.ownerDocument.querySelector("#people"));
    const names = this.people.map((person) => person.name);
    place.hidden = !names.length && !this.news;
    if (this.news) place.textContent = this.news;
    else place.textContent = names.length ? `With you: ${names.slice(0, 3).join(", ")}${names.length > 3 ? ` and ${names.length - 3} more` : ""}` : "";
    for (const line of /** @type {NodeListOf<HTMLElement>} */ (this.root.querySelectorAll(".line"))) {
      const here = this.people.filter((person) => person.line === line.dataset.line).map((person) => person.name);
      if (here.length) line.dataset.people = here.join(", ");
      else delete line.dataset.people;
    }
  }
}
