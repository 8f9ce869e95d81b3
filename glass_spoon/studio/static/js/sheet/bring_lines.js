/** Lines of another part, chosen on a slip and put in behind the line one stands on. */
import { Listening } from "../listening.js";

export class BringLines {
  /** @param {HTMLElement} root the bench @param {Edits} edits @param {Stand} stand */
  constructor(root, edits, stand) {
    this.root = root;
    this.edits = edits;
    this.stand = stand;
    this.listening = new Listening();
  }

  connect() {
    this.dialog = /** @type {HTMLDialogElement} */ (this.root.querySelector("#slip"));
    this.listening.on(this.dialog, "change", (event) => this.onChange(event.target));
    this.listening.on(this.dialog, "click", (event) => this.onClick(event.target.closest("[data-put-starter]")));
    this.listening.on(this.dialog, "submit", (event) => this.onSubmit(event));
  }

  disconnect() {
    this.listening.end();
  }

  /** The box of a step stands for its lines. @param {any} box */
  onChange(box) {
    if (!("chooseAll" in box.dataset)) return;
    for (const line of box.closest("fieldset").querySelectorAll("[name=line]")) line.checked = box.checked;
  }

  /** A starter is put in behind the line one stands on. @param {?HTMLElement} button */
  async onClick(button) {
    if (!button) return;
    const known = this.stand.known();
    this.dialog.close();
    if (await this.edits.change({ op: "put_starter", starter: button.dataset.putStarter, after: this.stand.behind })) this.stand.onAdded(known);
  }

  async onSubmit(event) {
    const form = event.target;
    if (!form.dataset.bringFrom) return;
    event.preventDefault();
    const lines = new FormData(form).getAll("line").join();
    if (!lines) return;
    const known = this.stand.known();
    this.dialog.close();
    if (await this.edits.change({ op: "put_from", from: form.dataset.bringFrom, lines, after: this.stand.behind })) this.stand.onAdded(known);
  }
}
