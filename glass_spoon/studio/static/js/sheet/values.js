/** Values in the prose: typed, dragged sideways, stepped with the arrow keys, chosen. */
import { Listening } from "../listening.js";

const PLAIN = /^\s*([-+]?\d[\d,]*(?:\.\d+)?)\s*([^\d\s]*)\s*$/;
const DRAG_THRESHOLD = 4;
const PIXELS_A_STEP = 7;
const COMMIT_DELAY = 450;
/** Letters of a remark in one row of its field. */
const LETTERS_A_ROW = 36;

export class Values {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.listening = new Listening();
    this.drag = null;
    this.timer = 0;
    /** What is typed: its chip, its input, and what ends it. @type {?{chip: HTMLElement, input: HTMLInputElement, finish: (save: boolean) => void}} */
    this.typing = null;
    this.carried = null;
  }

  connect() {
    this.listening.on(document.body, "htmx:beforeSwap", () => this.carryTyping());
    this.listening.on(document.body, "htmx:afterSwap", () => this.goOnTyping());
    this.listening.on(this.root, "pointerdown", (event) => this.onDown(event));
    this.listening.on(this.root, "click", (event) => this.onClick(event));
    this.listening.on(this.root, "keydown", (event) => this.onKey(event));
    this.listening.on(this.root, "change", (event) => this.onChange(event));
  }

  disconnect() {
    this.listening.end();
    clearTimeout(this.timer);
  }

  /** Show how the part would be with a value. @param {HTMLElement} chip @param {string} text */
  preview(chip, text) {
    this.board.feed.previewTyped(chip.dataset.line, { [chip.dataset.field]: text });
  }

  onDown(event) {
    const chip = event.target.closest("[data-kind=number]");
    if (!chip || event.button !== 0 || !this.edits.mayEdit) return;
    const plain = PLAIN.exec(chip.dataset.raw);
    this.drag = { chip, x: event.clientX, plain, moved: false };
    const move = (moving) => this.onMove(moving);
    const up = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      window.removeEventListener("pointercancel", up);
      this.onUp();
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
    window.addEventListener("pointercancel", up);
  }

  onMove(event) {
    const drag = this.drag;
    if (!drag || (!drag.moved && Math.abs(event.clientX - drag.x) < DRAG_THRESHOLD)) return;
    if (!drag.plain) {
      this.board.note("This value is an expression: click it and type.");
      return;
    }
    drag.moved = true;
    drag.chip.dataset.shown ??= drag.chip.textContent;
    drag.chip.classList.add("is-dragged");
    const steps = Math.round((event.clientX - drag.x) / PIXELS_A_STEP);
    drag.text = stepped(drag.chip, drag.plain, steps * scale(event));
    drag.chip.textContent = drag.text;
    this.preview(drag.chip, drag.text);
  }

  onUp() {
    const drag = this.drag;
    if (!drag?.moved) return;
    drag.chip.classList.remove("is-dragged");
    this.commit(drag.chip, drag.text);
  }

  onClick(event) {
    const chip = event.target.closest("[data-kind]");
    if (!chip || !this.edits.mayEdit) return;
    const dragged = this.drag?.moved;
    this.drag = null;
    if (chip.dataset.kind === "points") this.board.pen.choose(chip.dataset.line);
    else if (["number", "name", "limit", "title", "corners"].includes(chip.dataset.kind) && !dragged) this.type(chip);
  }

  /** Put an input in the place of a chip. */
  type(chip) {
    const isLong = chip.closest(".line")?.dataset.verb === "remark";
    const input = /** @type {any} */ (document.createElement(isLong ? "textarea" : "input"));
    input.className = "value-input";
    input.value = chip.dataset.wanted ?? chip.dataset.raw;
    if (isLong) input.rows = Math.ceil((input.value.length + 1) / LETTERS_A_ROW) + 1;
    else input.size = Math.max(6, Math.min(24, input.value.length + 1));
    input.setAttribute("aria-label", chip.title || chip.textContent);
    chip.replaceWith(input);
    input.focus();
    input.select();
    let done = false;
    const finish = (save) => {
      if (done || (this.carried?.input === input && save)) return;
      done = true;
      this.typing = null;
      this.board.placePick.stop();
      this.board.cornerPick.stop();
      if (input.isConnected) {
        input.replaceWith(chip);
        chip.focus();
      }
      if (save && input.value.trim() !== (chip.dataset.wanted ?? chip.dataset.raw).trim()) this.commit(chip, input.value.trim());
    };
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      // The chip takes the focus at once: without this the same Enter would press it and open it again.
      if (event.key === "Enter" || event.key === "Escape") event.preventDefault();
      if (event.key === "Enter") finish(true);
      else if (event.key === "Escape") finish(false);
      else if (event.key === "ArrowUp" || event.key === "ArrowDown") this.stepInput(event, input, chip);
    });
    input.addEventListener("blur", () => finish(true));
    this.typing = { chip, input, finish };
    if (chip.dataset.axis) this.board.placePick.start(chip, () => finish(false));
    if (chip.dataset.cornersUrl) this.board.cornerPick.start(chip.dataset.cornersUrl, input);
  }

  /** An answer is about to replace the sheet: note what is typed in it. */
  carryTyping() {
    if (!this.typing?.input.isConnected) return;
    const { chip, input, finish } = this.typing;
    this.carried = { place: placeOf(chip), text: input.value, from: input.selectionStart, to: input.selectionEnd, input, finish };
  }

  /** Where the sheet was replaced under what is typed: type on in the new one, the text and the caret as they were. */
  goOnTyping() {
    const carried = this.carried;
    this.carried = null;
    if (!carried || carried.input.isConnected) return;
    carried.finish(false);
    const chip = document.querySelector(carried.place);
    if (!chip) return;
    this.type(chip);
    this.typing.input.value = carried.text;
    this.typing.input.setSelectionRange(carried.from, carried.to);
  }

  stepInput(event, input, chip) {
    const plain = PLAIN.exec(input.value);
    if (!plain || chip.dataset.kind !== "number") return;
    event.preventDefault();
    input.value = stepped(chip, plain, (event.key === "ArrowUp" ? 1 : -1) * scale(event));
    this.preview(chip, input.value);
  }

  onKey(event) {
    const chip = event.target.closest?.("[data-kind=number]");
    if (!chip || event.altKey || !["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"].includes(event.key)) return;
    const plain = PLAIN.exec(chip.dataset.raw);
    if (!plain || !this.edits.mayEdit) return;
    event.preventDefault();
    chip.dataset.shown ??= chip.textContent;
    const up = event.key === "ArrowUp" || event.key === "ArrowRight";
    chip.dataset.raw = stepped(chip, plain, (up ? 1 : -1) * scale(event));
    chip.textContent = chip.dataset.raw;
    this.preview(chip, chip.dataset.raw);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.commit(chip, chip.dataset.raw), COMMIT_DELAY);
  }

  onChange(event) {
    const data = event.target.dataset;
    if (data.kind === "choice") this.edits.change({ op: "set", line: data.line, field: data.field, value: event.target.value });
    else if (data.kind === "items") {
      const list = event.target.closest("[data-items]");
      const value = [...list.querySelectorAll("select")].map((select) => select.value).filter(Boolean).join(",");
      this.edits.change({ op: "set", line: list.dataset.line, field: list.dataset.items, value });
    } else if (data.kind === "file" && event.target.files.length) this.edits.change({ op: "drawing", line: data.line, file: event.target.files[0] });
  }

  /** Show what is saved again, where a change was refused. */
  giveBack(chip, shown) {
    chip.textContent = shown;
    chip.classList.remove("is-unsaved");
    delete chip.dataset.wanted;
  }

  async commit(chip, value) {
    const { kind, line, field, limit } = chip.dataset;
    const edit = kind === "limit" ? { op: "limit", limit, value } : kind === "title" ? { op: "rename", value } : { op: "set", line, field, value, typed: "1" };
    this.board.feed.drop();
    const shown = chip.dataset.shown ?? chip.textContent;
    chip.textContent = value || shown;
    chip.classList.add("is-unsaved");
    chip.dataset.wanted = value;
    if (!(await this.edits.change(edit)) && chip.isConnected) this.giveBack(chip, shown);
    if (document.activeElement && document.activeElement !== document.body) return;
    this.root.querySelector(`[data-line="${line}"][data-field="${field}"]`)?.focus({ preventScroll: true });
  }
}

/** @returns {string} a selector of the chip of the same value in another sheet */
function placeOf(chip) {
  const { kind, line, field, limit } = chip.dataset;
  return `[data-kind="${kind}"]` + [["line", line], ["field", field], ["limit", limit]].map(([name, value]) => (value === undefined ? "" : `[data-${name}="${value}"]`)).join("");
}

/** @returns {number} how many steps one move counts: Shift ten, Alt a tenth */
function scale(event) {
  if (event.shiftKey) return 10;
  return event.altKey ? 0.1 : 1;
}

/** Return the text of a plain number moved by some steps, its unit kept. */
function stepped(chip, plain, steps) {
  const step = Number(chip.dataset.step) || 1;
  const unit = plain[2];
  const value = Number(plain[1].replaceAll(",", "")) + steps * step;
  const rounded = Math.round(value * 1e4) / 1e4;
  return `${rounded}${unit ? (unit === "°" ? "" : " ") + unit : ""}`;
}
