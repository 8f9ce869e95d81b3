/**
 * Sends edits to the server, one after the other, each on the revision that the one before it made.
 *
 * All that replaces the sheet comes through here: two answers under way at once could replace it in the wrong order, or a
 * sheet that is gone already. An edit that finds no connection, or no session, waits and is sent again; it bears a token, so
 * that one which did arrive while its answer was lost is not made twice.
 */
const ASK_AGAIN = 400;
/** Changes that would mend something are tried last, when the hand rests. */
const ASK_LAST = 1200;
/** How many times the picture of an edit is waited for, at most, before its gauges are asked for. */
const PATIENCE = 20;
const AWAY = new Set([0, 502, 503, 504]);

export class Edits {
  /** @param {HTMLElement} root the bench @param {Session} session */
  constructor(root, session) {
    this.root = root;
    this.session = session;
    this.mayEdit = root.dataset.mayEdit === "1";
    /** @type {Promise<unknown>} */
    this.queue = Promise.resolve();
    this.waiting = 0;
    this.changes = 0;
    this.timer = 0;
    /** How often the picture may still be waited for. */
    this.patience = PATIENCE;
    /** While lines are in the hand answers stay off the page: one that replaced them would end the drag. */
    this.held = false;
    this.missed = false;
    session.count = () => this.changes;
  }

  connect() {
    this.askAgain();
  }

  disconnect() {
    clearTimeout(this.timer);
    this.timer = 0;
  }

  /** While the server works on the part, or reads it: look again in a moment. */
  askAgain() {
    if (this.timer || this.waiting || this.held || !document.querySelector("#work[data-working], #gauges[data-pending]")) return;
    const stage = /** @type {HTMLElement} */ (document.querySelector("#gauges")).dataset.pending;
    this.timer = setTimeout(() => {
      this.timer = 0;
      if (this.waiting || this.held) return;
      if (this.waitsForPicture()) {
        this.askAgain();
        return;
      }
      this.look(document.querySelector("#work[data-working]") ? {} : { pending: "1", stage: this.asked === stage ? stage : "" });
      this.asked = stage;
    }, stage === "offers" && this.asked !== stage ? ASK_LAST : ASK_AGAIN);
  }

  /** The picture of an edit comes before its gauges are read; one that does not come at all is not waited for. @returns {boolean} */
  waitsForPicture() {
    const stands = /** @type {?HTMLElement} */ (document.querySelector(".board"))?.dataset.revision === this.state().revision;
    this.patience = stands ? PATIENCE : this.patience - 1;
    return !stands && this.patience > 0 && !document.querySelector("#work[data-working]");
  }

  /** @returns {Object<string, string>} the present revision and way of looking */
  state() {
    return /** @type {Object<string, string>} */ (Object.fromEntries(new FormData(document.querySelector("#view-state"))));
  }

  /**
   * Change the sheet; resolves when the answer is on the page.
   * @param {Object<string, string>} values the edit: op and its fields
   * @returns {Promise<boolean>} whether it was saved
   */
  change(values) {
    if (!this.mayEdit) return Promise.resolve(false);
    return this.counted("POST", this.root.dataset.editUrl, values);
  }

  /** Undo or redo. @param {"undo" | "redo"} step */
  step(step) {
    if (!this.mayEdit) return Promise.resolve(false);
    return this.counted("POST", this.root.dataset[`${step}Url`], {});
  }

  /** Look at the part in another way; nothing is saved. @param {Object<string, string>} values */
  look(values) {
    return this.enqueue(() => this.send("GET", this.root.dataset.showUrl, values));
  }

  hold() {
    this.held = true;
  }

  /** Let answers onto the page again; what came meanwhile is asked for anew. */
  letGo() {
    if (!this.held) return;
    this.held = false;
    if (this.missed) this.look({});
    else this.askAgain();
    this.missed = false;
  }

  /** Stop what is worked on in the background. @param {"" | "work" | "on"} what changes that are tried; the build or the gauges; on: go on with those */
  stop(what = "") {
    return this.enqueue(() => this.send("POST", this.root.dataset.stopUrl, { what }));
  }

  counted(method, url, values) {
    this.changes += 1;
    if (this.session.isAway) this.session.tell();
    const token = crypto.getRandomValues(new Uint32Array(4)).join("-").slice(0, 40);
    return this.enqueue(() => this.send(method, url, { ...values, token })).finally(() => (this.changes -= 1));
  }

  /** @param {() => Promise<boolean>} job */
  enqueue(job) {
    this.root.dataset.busy = String((this.waiting += 1));
    const done = this.queue.then(job, job).finally(() => {
      this.root.dataset.busy = String((this.waiting -= 1));
      this.askAgain();
    });
    this.queue = done;
    return done;
  }

  /** Send until it is answered. @returns {Promise<boolean>} whether the answer was good */
  async send(method, url, values) {
    for (let tries = 0, tokens = 0; ; ) {
      const xhr = await this.once(method, url, values);
      const want = wantOf(xhr);
      if (want === "connection") await this.session.wait(tries++);
      else if (want === "session") await this.session.signIn();
      else if (want === "token" && !tokens++) this.session.renew(xhr.getResponseHeader("X-CSRFToken"));
      else {
        if (this.session.isAway) this.session.back();
        return xhr.status >= 200 && xhr.status < 300;
      }
    }
  }

  /** @returns {Promise<?XMLHttpRequest>} the request as it ended, its answer on the page where it is one for the page */
  async once(method, url, values) {
    const source = Object.values(values).some((value) => value instanceof File) ? document.querySelector("#upload") : this.root;
    let ended = null;
    const onSwap = (event) => {
      const isMessage = event.detail.target?.id === "messages";
      if (this.held && !isMessage) this.missed = true;
      if ((this.held && !isMessage) || wantOf(event.detail.xhr)) event.detail.shouldSwap = false;
    };
    const onEnd = (event) => {
      ended ??= event.detail.xhr;
    };
    source.addEventListener("htmx:afterRequest", onEnd);
    document.body.addEventListener("htmx:beforeSwap", onSwap);
    try {
      await window.htmx.ajax(method, url, { source, target: "#sheet", swap: "outerHTML", values: { ...this.state(), ...values } });
    } catch {
      // told by the request's status
    } finally {
      source.removeEventListener("htmx:afterRequest", onEnd);
      document.body.removeEventListener("htmx:beforeSwap", onSwap);
    }
    return ended;
  }
}

/** @param {?XMLHttpRequest} xhr @returns {"" | "connection" | "session" | "token"} what an answer lacks before it can be one for the page */
function wantOf(xhr) {
  const status = xhr?.status ?? 0;
  if (AWAY.has(status)) return "connection";
  if (status === 401 && xhr.getResponseHeader("X-Sign-In")) return "session";
  return status === 403 && xhr.getResponseHeader("X-CSRFToken") ? "token" : "";
}
