/** Shows how much of a large file is sent, where work under way is shown. */
const LARGE = 1e6;

export class UploadNote {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.card = null;
  }

  connect() {
    this.form = this.root.querySelector("#upload");
    this.onProgress = (event) => this.show(event.detail);
    this.onEnd = () => this.hide();
    this.form.addEventListener("htmx:xhr:progress", this.onProgress);
    this.form.addEventListener("htmx:afterRequest", this.onEnd);
  }

  disconnect() {
    this.form.removeEventListener("htmx:xhr:progress", this.onProgress);
    this.form.removeEventListener("htmx:afterRequest", this.onEnd);
    this.hide();
  }

  /** @param {{ loaded: number, total: number, elt: HTMLElement }} sent */
  show(sent) {
    if (!(sent.total > LARGE)) return;
    if (!this.card?.isConnected) this.add();
    const percent = Math.round((100 * sent.loaded) / sent.total);
    this.card.querySelector(".upload-text").textContent = percent < 100 ? "Sending the file…" : "Keeping the file…";
    this.card.querySelector(".number").textContent = percent < 100 ? `${percent} %` : "";
    this.card.querySelector("progress").value = percent;
  }

  add() {
    this.card = document.createElement("label");
    this.card.className = "work-card";
    this.card.innerHTML = '<span class="upload-text"></span> <span class="number"></span> <progress max="100"></progress>';
    this.root.querySelector("#work").replaceChildren(this.card);
  }

  hide() {
    this.card?.remove();
    this.card = null;
  }
}
