/** What a click on a line means. */

/** What is pressed, typed into or chosen by itself. */
const PRESSED = "button, select, input, textarea, label, a";

/** @param {MouseEvent} event @returns {boolean} whether it adds to what is chosen */
export function isChoosing(event) {
  return event.shiftKey || event.ctrlKey || event.metaKey;
}

/** @param {MouseEvent} event @returns {?HTMLElement} the line, or heading of a step, that it is meant for as a whole */
export function lineOf(event) {
  const target = /** @type {Element} */ (event.target);
  const pressed = target.closest(PRESSED);
  if (pressed && !(isChoosing(event) && pressed.matches(".line-number"))) return null;
  return target.closest(".line, .step-head");
}

/** @param {MouseEvent} event @returns {?HTMLElement} the line that a plain click goes to; dragging over words is none */
export function plainlyClicked(event) {
  if (isChoosing(event) || String(window.getSelection())) return null;
  const line = lineOf(event);
  return line?.matches(".line") ? line : null;
}
