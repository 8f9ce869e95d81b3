/** The keyboard of the bench, and the hints in the status bar. */
const HINTS = {
  rest: [["/", "next line"], ["N", "place points"], ["M", "mark"], ["D", "measure"], ["G", "four views / one"], ["F", "fit"]],
  placing: [["click", "place a point"], ["Shift", "sharp"], ["Alt", "no snapping"], ["Enter", "done"]],
  marking: [["1–6", "what a click picks"], ["Shift", "take away"], ["drag", "box"], ["Alt drag", "lasso"], ["Esc", "done"]],
  chosen: [["S", "sharp"], ["I", "insert"], ["Del", "remove"], ["T", "place by numbers"], ["Shift drag", "choose more"]],
};

export class Keys {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
  }

  connect() {
    document.addEventListener("keydown", (event) => this.onKey(event));
    this.board.markPick.onMood = (mood) => this.hint(mood);
    this.board.pen.onMood = (mood) => this.hint(mood);
    this.hint("rest");
  }

  /** @param {"rest" | "placing" | "marking" | "chosen"} mood */
  hint(mood) {
    const keys = this.root.querySelector(".statusbar .keys");
    keys.replaceChildren(...HINTS[mood].map(([key, words]) => {
      const hint = document.createElement("span");
      const cap = document.createElement("kbd");
      cap.textContent = key;
      hint.append(cap, words);
      return hint;
    }));
  }

  onKey(event) {
    if (event.defaultPrevented || document.querySelector("#slip").open) return;
    const step = event.ctrlKey || event.metaKey ? stepOf(event) : null;
    if (step && (!isTyping(event.target) || isEmptyFinder(event.target))) {
      event.preventDefault();
      this.edits.step(step);
      return;
    }
    if (isTyping(event.target) || event.ctrlKey || event.metaKey) return;
    if ((event.key === "Enter" || event.key === " ") && event.target.closest?.("button, a, summary, [role=radio]")) return;
    const line = event.target.closest?.(".line");
    if (event.altKey && line && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
      event.preventDefault();
      this.edits.change({ op: "move", line: line.dataset.line, by: event.key === "ArrowUp" ? "-1" : "1" });
      return;
    }
    if (event.key === "Escape" && (this.board.measure.on || this.board.references.task)) {
      event.preventDefault();
      if (this.board.measure.on) this.board.measure.toggle();
      this.board.references.end();
      this.board.note("");
      return;
    }
    if (this.board.markPick.onKey(event)) {
      event.preventDefault();
      return;
    }
    if (this.board.pen.onKey(event)) {
      event.preventDefault();
      return;
    }
    const act = { "/": () => this.root.querySelector("#next-line")?.focus(), g: () => this.board.toggleAlone(), f: () => this.board.fit(), n: () => this.board.pen.togglePlacing(), m: () => this.board.markPick.toggle(), d: () => this.board.measure.toggle() }[event.key.toLowerCase()];
    if (act && !event.altKey) {
      event.preventDefault();
      act();
    }
  }
}

/** @returns {?string} what a key with Ctrl asks for: undo or redo */
function stepOf(event) {
  const key = event.key.toLowerCase();
  if (key === "y") return "redo";
  return key === "z" ? (event.shiftKey ? "redo" : "undo") : null;
}

/** Whether it is the finder with nothing in it: its own undo would bring back words that are a line by now. */
function isEmptyFinder(target) {
  return target.id === "next-line" && !target.value;
}

function isTyping(target) {
  return target instanceof HTMLElement && (target.matches("input:not([type=checkbox]), select, textarea") || target.isContentEditable);
}
