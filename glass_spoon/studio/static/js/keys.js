/** The keyboard of the bench, and the hints in the status bar. */
import { Listening } from "./listening.js";

const HINTS = {
  rest: [["/", "next line"], ["N", "place points"], ["M", "mark"], ["D", "measure"], ["G", "four views / one"], ["F", "fit"]],
  looking: [["M", "pick"], ["D", "measure"], ["G", "four views / one"], ["F", "fit"], ["W", "find"]],
  placing: [["click", "place a point"], ["Shift", "sharp"], ["Alt", "no snapping"], ["0–9", "type a place"], ["Ctrl Z", "take back"], ["G", "four views"], ["Enter", "done"]],
  marking: [["1–7", "what a click picks"], ["+ −", "grow, shrink"], ["Shift", "take away"], ["drag", "box"], ["Alt drag", "lasso"], ["Esc", "done"]],
  chosen: [["S", "sharp"], ["I", "insert"], ["Del", "remove"], ["T", "place by numbers"], ["Shift drag", "choose more"]],
};

export class Keys {
  /** @param {HTMLElement} root @param {Edits} edits @param {Board} board @param {FindLines} findLines */
  constructor(root, edits, board, findLines) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.listening = new Listening();
    /** @type {Object<string, () => void>} */
    this.acts = {
      "/": () => /** @type {?HTMLElement} */ (root.querySelector("#next-line"))?.focus(),
      g: () => board.toggleAlone(),
      f: () => board.fit(),
      n: () => board.pen.togglePlacing(),
      m: () => board.markPick.toggle(),
      d: () => board.measure.toggle(),
      w: () => findLines.focus(),
      "?": () => /** @type {HTMLElement} */ (root.querySelector(".keys-button")).click(),
    };
  }

  connect() {
    this.listening.on(document, "keydown", (event) => this.onKey(event));
    this.board.tools.onMood = (mood) => this.hint(mood);
    this.hint("rest");
  }

  disconnect() {
    this.listening.end();
  }

  /** @param {"rest" | "placing" | "marking" | "chosen"} mood */
  hint(mood) {
    const keys = this.root.querySelector(".statusbar .keys");
    const hints = HINTS[mood === "rest" && !this.edits.mayEdit ? "looking" : mood];
    keys.replaceChildren(...hints.map(([key, words]) => {
      const hint = document.createElement("span");
      const cap = document.createElement("kbd");
      cap.textContent = key;
      hint.append(cap, words);
      return hint;
    }));
  }

  onKey(event) {
    if (event.defaultPrevented || /** @type {HTMLDialogElement} */ (document.querySelector("#slip")).open) return;
    if (this.step(event) || (!isMeantElsewhere(event) && (this.moveLine(event) || this.board.tools.key(event) || this.act(event)))) event.preventDefault();
  }

  /** @returns {boolean} whether a key undid or redid a change */
  step(event) {
    const step = event.ctrlKey || event.metaKey ? stepOf(event) : null;
    if (!step || (isTyping(event.target) && !isEmptyFinder(event.target))) return false;
    this.edits.step(step);
    return true;
  }

  /** @returns {boolean} whether a key moved the line that has the focus */
  moveLine(event) {
    const line = event.target.closest?.(".line");
    if (!event.altKey || !line || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return false;
    this.edits.change({ op: "move", line: line.dataset.line, by: event.key === "ArrowUp" ? "-1" : "1" });
    return true;
  }

  act(event) {
    const act = this.acts[event.key.toLowerCase()];
    if (!act || event.altKey) return false;
    act();
    return true;
  }
}

/** @returns {?("undo" | "redo")} what a key with Ctrl asks for */
function stepOf(event) {
  const key = event.key.toLowerCase();
  if (key === "y") return "redo";
  return key === "z" ? (event.shiftKey ? "redo" : "undo") : null;
}

/** Whether a key belongs to what has the focus: to a field that is typed in, or to a button that it presses. */
function isMeantElsewhere(event) {
  const presses = event.key === "Enter" || event.key === " ";
  return isTyping(event.target) || event.ctrlKey || event.metaKey || Boolean(presses && event.target.closest?.("button, a, summary, [role=radio]"));
}

/** Whether it is the finder, or a place, with nothing in it: its own undo would bring back words that are a line by now. */
function isEmptyFinder(target) {
  return (target.id === "next-line" || "drawPlace" in target.dataset) && !target.value;
}

function isTyping(target) {
  return target instanceof HTMLElement && (target.matches("input:not([type=checkbox]), select, textarea") || target.isContentEditable);
}
