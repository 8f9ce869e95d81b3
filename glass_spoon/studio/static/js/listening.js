/** Listeners that end together. */
export class Listening {
  constructor() {
    this.controller = new AbortController();
  }

  /**
   * @param {EventTarget | { addEventListener: Function }} target @param {string} type
   * @param {(event: any) => void} act @param {AddEventListenerOptions} options
   */
  on(target, type, act, options = {}) {
    target.addEventListener(type, act, { ...options, signal: this.controller.signal });
  }

  /** Take all of them away. */
  end() {
    this.controller.abort();
    this.controller = new AbortController();
  }
}

/** When an answer stands on the page: as it is put in, and when htmx has given all elements the attributes of the answer. */
export const SWAPPED = ["htmx:afterSwap", "htmx:afterSettle"];
