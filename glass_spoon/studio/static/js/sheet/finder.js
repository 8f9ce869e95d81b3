import { BEGINS_PLACE } from "../board/tools/draw_bar.js";
import { Listening } from "../listening.js";

const LATELY = "spoon-verbs-lately";
/** How many of the verbs used last are shown. */
const MOST_LATELY = 8;

/** @returns {string[]} the verbs used last in this browser, the newest first */
function latelyUsed() {
  try {
    const kept = JSON.parse(localStorage.getItem(LATELY) ?? "[]");
    return Array.isArray(kept) ? kept.filter((verb) => typeof verb === "string").slice(0, MOST_LATELY) : [];
  } catch {
    return [];
  }
}

/** @param {string} verb one that a line was added of */
function remember(verb) {
  localStorage.setItem(LATELY, JSON.stringify([verb, ...latelyUsed().filter((other) => other !== verb)].slice(0, MOST_LATELY)));
}

/** The finder at the foot of the sheet: plain words to the next line. State of one Alpine component. */
export function finder(root, edits, board, stand) {
  return () => ({
    timer: 0,
    asked: 0,
    /** The text whose meanings the list shows. */
    shown: "",
    /** What was typed meanwhile, while a text is asked about. */
    later: "",
    /** The lines that are being added, one after the other. @type {Promise<void>} */
    turn: Promise.resolve(),
    /** The text about whose words was asked already. */
    warned: "",
    input() {
      return this.$root.querySelector("#next-line");
    },
    list() {
      return this.$root.querySelector("#proposals");
    },
    init() {
      const listening = new Listening();
      listening.on(this.list(), "mousedown", (event) => {
        const proposal = event.target.closest(".proposal");
        event.preventDefault();
        if (proposal) this.press(proposal.dataset.verb);
      });
      listening.on(this.list(), "mouseover", (event) => this.tell(event.target.closest(".proposal")));
      listening.on(this.input(), "blur", () => this.hide());
      listening.on(window, "pagehide", () => listening.end());
    },
    open() {
      this.ask();
    },
    /** A verb of the list was pressed: it is taken for what is typed. @param {string} verb */
    press(verb) {
      const text = this.input().value;
      this.input().value = "";
      this.turn = this.turn.then(() => this.take(verb, text));
    },
    search() {
      clearTimeout(this.timer);
      // No line begins with a number: while points are placed it is a place.
      if (board.pen.placing && BEGINS_PLACE.test(this.input().value[0])) {
        board.pen.bar.type(this.input().value);
        this.input().value = "";
        return;
      }
      this.timer = setTimeout(() => this.ask(), 90);
    },
    async ask() {
      const number = ++this.asked;
      const text = this.input().value;
      const html = await this.found(text);
      if (html !== null && number === this.asked && document.activeElement === this.input()) this.show(text, html);
    },
    /** @param {string} text @returns {Promise<?string>} what a text may mean, null where no answer came */
    async found(text) {
      const answer = await edits.session.ask(`${root.dataset.findUrl}?${new URLSearchParams({ text, after: stand.behind })}`, { headers: { "HX-Request": "true" } }).catch(() => null);
      return answer ? answer.text() : null;
    },
    show(text, html) {
      this.shown = text;
      this.list().innerHTML = html;
      this.list().hidden = false;
      this.showLately();
      this.input().setAttribute("aria-expanded", "true");
      this.choose(text.trim() ? 0 : -1);
      this.list().scrollTop = 0;
      this.$root.scrollIntoView({ block: "nearest" });
    },
    proposals() {
      return [...this.list().querySelectorAll(".proposal")];
    },
    chosen() {
      return this.proposals().findIndex((proposal) => proposal.getAttribute("aria-selected") === "true");
    },
    choose(index) {
      this.proposals().forEach((proposal, number) => proposal.setAttribute("aria-selected", String(number === index)));
      this.proposals()[index]?.scrollIntoView({ block: "nearest" });
      this.tell(this.proposals()[index]);
    },
    /** Say what a verb of the short list does. @param {?Element} proposal */
    tell(proposal) {
      const help = this.list().querySelector(".proposal-help");
      if (!help) return;
      const told = /** @type {HTMLElement} */ (help.querySelector("span"));
      const drawing = /** @type {HTMLImageElement} */ (help.querySelector("img"));
      const { help: text, drawing: address } = /** @type {?HTMLElement} */ (proposal)?.dataset ?? {};
      told.textContent = text ?? told.dataset.rest;
      drawing.hidden = !address;
      if (address) drawing.src = address;
    },
    /** Show the verbs that were used last before all others. */
    showLately() {
      const lately = /** @type {?HTMLElement} */ (this.list().querySelector(".proposal-lately"));
      const found = lately ? latelyUsed().map((verb) => this.list().querySelector(`.proposal[data-verb="${CSS.escape(verb)}"]`)) : [];
      const shown = found.filter(Boolean).map((proposal) => proposal.cloneNode(true));
      if (!shown.length) return;
      lately.hidden = false;
      lately.querySelector(".proposal-words").replaceChildren(...shown);
    },
    async steer(event) {
      const count = this.proposals().length;
      if (event.key === "/" && !this.input().value) {
        event.preventDefault();
        return;
      }
      if (event.key === "ArrowDown" || event.key === "ArrowUp") {
        event.preventDefault();
        const step = event.key === "ArrowDown" ? 1 : -1;
        this.choose((this.chosen() + step + count) % Math.max(count, 1));
      } else if (event.key === "Enter") {
        event.preventDefault();
        await this.enter();
      }
    },
    /** Take the text as it is now for a line: what is typed after this Enter is the next one's. Lines are added in turn. */
    async enter() {
      clearTimeout(this.timer);
      const text = this.input().value;
      const isListed = this.shown === text && !this.list().hidden;
      const verb = isListed ? this.proposals()[this.chosen()]?.dataset.verb : undefined;
      if (!text.trim() && !verb) return;
      this.input().value = "";
      this.asked += 1;
      this.turn = this.turn.then(() => this.add(text, verb));
      await this.turn;
    },
    /** Add a line, or give its text back with a question. @param {string} text @param {string} [verb] the one chosen, else the likeliest */
    async add(text, verb) {
      const html = await this.found(text);
      const box = document.createElement("div");
      box.innerHTML = html ?? "";
      const proposal = /** @type {?HTMLElement} */ (box.querySelector(verb ? `.proposal[data-verb="${verb}"]` : ".proposal"));
      if (proposal && !this.asksFirst(proposal, text)) {
        await this.take(proposal.dataset.verb, text);
        return;
      }
      this.later = this.input().value;
      this.input().value = text;
      this.show(text, html ?? "");
      if (proposal) this.askAbout(proposal.dataset.missed);
    },
    /** Words that were not understood are asked about once: the next Enter goes on without them. @returns {boolean} */
    asksFirst(proposal, text) {
      if (!proposal.dataset.missed || this.warned === text) return false;
      this.warned = text;
      return true;
    },
    /** @param {string} missed */
    askAbout(missed) {
      const sentence = document.createElement("p");
      sentence.className = "proposal-asks";
      sentence.setAttribute("role", "status");
      sentence.textContent = `“${missed}” was not understood. Press Enter again to add the line without it, or say it otherwise.`;
      this.list().prepend(sentence);
      this.list().scrollTop = 0;
      this.$root.scrollIntoView({ block: "nearest" });
    },
    /** Add a line. @param {string} verb @param {string} text */
    async take(verb, text) {
      this.warned = "";
      this.hide();
      if (this.later) this.input().value = this.later + this.input().value;
      this.later = "";
      if (this.input().value) this.search();
      const known = stand.known();
      await edits.change({ op: "add", text, verb, after: stand.behind });
      const added = stand.onAdded(known);
      if (added) remember(verb);
      this.goOn(verb, added);
    },
    /** The hand goes on: with the pen on a drawing, else with the next line, unless it is somewhere else already. */
    goOn(verb, added) {
      if (verb === "draw" && added && !this.input().value) board.pen.begin(added.dataset.line);
      else if (!document.activeElement || document.activeElement === document.body) this.input().focus();
    },
    hide() {
      this.asked += 1;
      this.list().hidden = true;
      this.input().setAttribute("aria-expanded", "false");
    },
    close() {
      this.later = "";
      this.hide();
      this.input().blur();
    },
  });
}
