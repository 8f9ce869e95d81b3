/**
 * Sends edits to the server, one after the other, each on the revision that the one before it made.
 *
 * All that replaces the sheet comes through here: two answers under way at once could replace it in the wrong order, or a
 * sheet that is gone already.
 */
const ASK_AGAIN = 400;

export class Edits {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.mayEdit = root.dataset.mayEdit === "1";
    this.queue = Promise.resolve();
    this.waiting = 0;
    this.timer = 0;
  }

  connect() {
    this.askAgain();
  }

  disconnect() {
    clearTimeout(this.timer);
    this.timer = 0;
  }

  /** While the server works on the part: look again in a moment. */
  askAgain() {
    if (this.timer || this.waiting || !document.querySelector("#work[data-working]")) return;
    this.timer = setTimeout(() => {
      this.timer = 0;
      if (!this.waiting) this.look({});
    }, ASK_AGAIN);
  }

  /** @returns {Object<string, string>} the present revision and way of looking */
  state() {
    return Object.fromEntries(new FormData(document.querySelector("#view-state")));
  }

  /**
   * Change the sheet; resolves when the answer is on the page.
   * @param {Object<string, string>} values the edit: op and its fields
   */
  change(values) {
    if (!this.mayEdit) return Promise.resolve();
    return this.enqueue(() => this.send("POST", this.root.dataset.editUrl, values));
  }

  /** Undo or redo. @param {"undo" | "redo"} step */
  step(step) {
    if (!this.mayEdit) return Promise.resolve();
    return this.enqueue(() => this.send("POST", this.root.dataset[`${step}Url`], {}));
  }

  /** Look at the part in another way; nothing is saved. @param {Object<string, string>} values */
  look(values) {
    return this.enqueue(() => this.send("GET", this.root.dataset.showUrl, values));
  }

  /** @param {() => Promise<void>} job */
  enqueue(job) {
    this.root.dataset.busy = String((this.waiting += 1));
    this.queue = this.queue.then(job, job).finally(() => {
      this.root.dataset.busy = String((this.waiting -= 1));
      this.askAgain();
    });
    return this.queue;
  }

  send(method, url, values) {
    return window.htmx.ajax(method, url, {
      source: Object.values(values).some((value) => value instanceof File) ? document.querySelector("#upload") : this.root,
      target: "#sheet",
      swap: "outerHTML",
      values: { ...this.state(), ...values },
    });
  }
}
