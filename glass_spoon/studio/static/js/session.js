/** The session and the connection: asks the server, signs in again over the page, waits for the line to come back. */
const FIRST_PAUSE = 700;
const LONGEST_PAUSE = 8000;

export class Session {
  /** @param {HTMLElement} root the bench */
  constructor(root) {
    this.root = root;
    this.dialog = /** @type {HTMLDialogElement} */ (document.querySelector("#sign-in"));
    this.note = /** @type {HTMLElement} */ (document.querySelector("#connection"));
    this.asking = null;
    this.isAway = false;
    this.count = () => 0;
  }

  connect() {
    this.onSubmit = (event) => this.submit(event);
    this.onLeave = (event) => this.isAway && this.count() && event.preventDefault();
    this.dialog.addEventListener("submit", this.onSubmit);
    this.dialog.addEventListener("cancel", stay);
    window.addEventListener("beforeunload", this.onLeave);
  }

  disconnect() {
    this.dialog.removeEventListener("submit", this.onSubmit);
    this.dialog.removeEventListener("cancel", stay);
    window.removeEventListener("beforeunload", this.onLeave);
  }

  /** @returns {Object<string, string>} the header that changes need */
  get token() {
    return JSON.parse(document.body.getAttribute("hx-headers"));
  }

  /** Take the token that forms need from now on. @param {?string} token */
  renew(token) {
    if (token) document.body.setAttribute("hx-headers", JSON.stringify({ "X-CSRFToken": token }));
  }

  /**
   * Ask the server; where the session ended, sign in first and ask again. Rejects where there is no connection.
   * @param {string} url @param {RequestInit} options @returns {Promise<Response>}
   */
  async ask(url, options = {}) {
    for (let tries = 0; ; tries += 1) {
      const answer = await fetch(url, { ...options, headers: { Accept: "application/json", ...options.headers, ...this.token } });
      if (answer.status === 401 && answer.headers.get("X-Sign-In")) await this.signIn();
      else if (answer.status === 403 && answer.headers.get("X-CSRFToken") && !tries) this.renew(answer.headers.get("X-CSRFToken"));
      else return answer;
    }
  }

  /** Lay the sign-in over the page; resolves when somebody has signed in. */
  signIn() {
    this.asking ??= new Promise((resolve) => this.open(resolve)).finally(() => (this.asking = null));
    return this.asking;
  }

  async open(resolve) {
    this.resolve = resolve;
    const answer = await fetch(this.root.dataset.signInUrl, { headers: this.token }).catch(() => null);
    this.dialog.innerHTML = answer ? await answer.text() : "<p class='slip-body'>The server does not answer. Load the page again.</p>";
    if (!this.dialog.open) this.dialog.showModal();
    /** @type {?HTMLElement} */ (this.dialog.querySelector("input[name=username]"))?.focus();
  }

  async submit(event) {
    event.preventDefault();
    const form = event.target;
    const send = () => fetch(form.action, { method: "POST", body: new FormData(form), headers: this.token }).catch(() => null);
    let answer = await send();
    if (answer?.status === 403) {
      this.renew(answer.headers.get("X-CSRFToken"));
      answer = await send();
    }
    if (answer?.status !== 204) {
      if (answer) this.dialog.innerHTML = await answer.text();
      return;
    }
    this.renew(answer.headers.get("X-CSRFToken"));
    // Somebody else signed in: what is on the page is not theirs.
    if (answer.headers.get("X-User") !== this.root.dataset.user) {
      window.location.reload();
      return;
    }
    this.dialog.close();
    this.resolve();
  }

  /** Say that there is no connection, and wait a while, or until there is one. @param {number} tries */
  async wait(tries) {
    this.isAway = true;
    this.tell();
    const pause = Math.min(FIRST_PAUSE * 2 ** tries, LONGEST_PAUSE);
    await new Promise((resolve) => {
      const timer = setTimeout(done, pause);
      window.addEventListener("online", done);
      function done() {
        clearTimeout(timer);
        window.removeEventListener("online", done);
        resolve();
      }
    });
  }

  /** Say how many changes wait. */
  tell() {
    const count = this.count();
    const waiting = count === 1 ? "one change waits and is sent when it is back." : `${count} changes wait and are sent when it is back.`;
    this.note.textContent = `No connection to the server. ${count ? `Not saved: ${waiting}` : "It is tried again by itself."}`;
    this.note.hidden = false;
  }

  /** The line is back. */
  back() {
    this.isAway = false;
    this.note.hidden = true;
  }
}

function stay(event) {
  event.preventDefault();
}
