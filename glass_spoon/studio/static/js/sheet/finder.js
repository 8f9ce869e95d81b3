/** The finder at the foot of the sheet: plain words to the next line. State of one Alpine component. */
export function finder(root, edits, board) {
  return () => ({
    timer: 0,
    asked: 0,
    /** The text about whose words was asked already. */
    warned: "",
    input() {
      return this.$root.querySelector("#next-line");
    },
    list() {
      return this.$root.querySelector("#proposals");
    },
    init() {
      this.list().addEventListener("mousedown", (event) => {
        const proposal = event.target.closest(".proposal");
        event.preventDefault();
        if (proposal) this.take(proposal.dataset.verb);
      });
      this.list().addEventListener("mouseover", (event) => this.tell(event.target.closest(".proposal")));
      this.input().addEventListener("blur", () => this.hide());
    },
    open() {
      this.ask();
    },
    search() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.ask(), 90);
    },
    async ask() {
      const number = ++this.asked;
      const text = this.input().value;
      const answer = await edits.session.ask(`${root.dataset.findUrl}?text=${encodeURIComponent(text)}`, { headers: { "HX-Request": "true" } }).catch(() => null);
      if (!answer) return;
      const html = await answer.text();
      if (number !== this.asked || document.activeElement !== this.input()) return;
      this.list().innerHTML = html;
      this.list().hidden = false;
      this.input().setAttribute("aria-expanded", "true");
      this.choose(this.input().value.trim() ? 0 : -1);
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
      if (help) help.textContent = /** @type {?HTMLElement} */ (proposal)?.dataset.help ?? help.dataset.rest;
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
    /** Add the line that is chosen, or that stands first. */
    async enter() {
      clearTimeout(this.timer);
      await this.ask();
      const proposal = this.proposals()[Math.max(this.chosen(), 0)];
      const isMeant = this.input().value.trim() || this.chosen() >= 0;
      if (proposal && isMeant && !this.asksFirst(proposal)) this.take(proposal.dataset.verb);
    },
    /** Words that were not understood are asked about once: the next Enter goes on without them. @returns {boolean} */
    asksFirst(proposal) {
      const { missed } = proposal.dataset;
      const text = this.input().value;
      if (!missed || this.warned === text) return false;
      this.warned = text;
      const sentence = document.createElement("p");
      sentence.className = "proposal-asks";
      sentence.setAttribute("role", "status");
      sentence.textContent = `“${missed}” was not understood. Press Enter again to add the line without it, or say it otherwise.`;
      this.list().prepend(sentence);
      this.list().scrollTop = 0;
      this.$root.scrollIntoView({ block: "nearest" });
      return true;
    },
    async take(verb) {
      const text = this.input().value;
      this.warned = "";
      this.input().value = "";
      this.hide();
      const known = new Set([...root.querySelectorAll(".line")].map((line) => line.dataset.line));
      await edits.change({ op: "add", text, verb, after: edits.state().shown_after });
      const added = [...root.querySelectorAll(".line")].find((line) => !known.has(line.dataset.line));
      added?.scrollIntoView({ block: "nearest" });
      if (added) board.handles.standOn(added.dataset.line);
      if (verb === "draw" && added) board.pen.begin(added.dataset.line);
      else root.querySelector("#next-line")?.focus();
    },
    hide() {
      this.asked += 1;
      this.list().hidden = true;
      this.input().setAttribute("aria-expanded", "false");
    },
    close() {
      this.hide();
      this.input().blur();
    },
  });
}
