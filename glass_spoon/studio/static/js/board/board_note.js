/** The sentence at the foot of the board, with what may be pressed or typed in answer. */
export class BoardNote {
  /** @param {HTMLElement} element */
  constructor(element) {
    this.element = element;
    /** What is said while there is nothing else to say, and what ends it. @type {?{sentence: string, end: () => void}} */
    this.standing = null;
    this.hasOffers = false;
  }

  /**
   * Say something; an empty sentence takes it away.
   * @param {string} sentence @param {Array<[string, () => void]>} actions buttons after it
   */
  say(sentence, actions = []) {
    const { element, standing } = this;
    element.textContent = sentence || standing?.sentence || "";
    element.hidden = !element.textContent;
    this.hasOffers = actions.length > 0;
    const ending = /** @type {Array<[string, () => void]>} */ (!sentence && standing ? [["Done", standing.end]] : []);
    for (const [words, act] of [...actions, ...ending]) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "text-button";
      button.textContent = words;
      button.addEventListener("click", act);
      element.append(" ", button);
    }
  }

  /** What is said whenever there is nothing else to say: how a mode goes, and what ends it. @param {?{sentence: string, end: () => void}} standing */
  stand(standing) {
    this.standing = standing;
    this.say("");
  }

  /** A mode ends; another one that stands meanwhile goes on. @param {() => void} end of the mode */
  leave(end) {
    if (this.standing?.end === end) this.stand(null);
  }

  /** Ask for a text. @param {string} question @param {string} value @param {(text: string) => void} use @param {() => void} leave */
  ask(question, value, use, leave) {
    this.say(question);
    this.hasOffers = true;
    const input = document.createElement("input");
    input.className = "value-input";
    input.value = value;
    input.size = 10;
    input.setAttribute("aria-label", question);
    this.element.append(" ", input);
    input.focus();
    input.select();
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key !== "Enter" && event.key !== "Escape") return;
      this.say("");
      if (event.key === "Enter") use(input.value);
      else leave();
    });
  }
}
