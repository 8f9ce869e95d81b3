/** The colours of the page's style (tokens.css), for what is drawn on the canvas. */
import { Color } from "three";

const style = getComputedStyle(document.documentElement);

/** @param {string} name of a variable without its dashes @returns {string} its colour as it is written there */
export function token(name) {
  const text = style.getPropertyValue(`--${name}`).trim();
  if (!text) throw new Error(`tokens.css names no colour ${name}`);
  return text;
}

/** @param {string} name @returns {Color} its colour for three */
export function tokenColor(name) {
  return new Color(token(name));
}

/** @param {string} name @returns {[number, number, number]} its linear red, green and blue, as vertex colours are given */
export function tokenRgb(name) {
  const { r, g, b } = tokenColor(name);
  return [r, g, b];
}
