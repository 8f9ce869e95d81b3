/** The unit in which the project shows lengths; the board itself, and all that it sends, is in mm. The server does the same to its texts. */

/** @type {Record<string, number>} */
export const MILLIMETRES = { mm: 1, cm: 10, m: 1000, inch: 25.4, in: 25.4 };
/** Digits that a converted number has at least. */
const DIGITS = 4;
const LENGTH = /(?<![\w.,])([-−+]?\d[\d,]*(?:\.\d+)?(?:e[-+]?\d+)?)(\s?)mm(?!\w|²|³)/g;
const RATE = /(?<![\w.,])([-−+]?\d[\d,]*(?:\.\d+)?(?:e[-+]?\d+)?)(\s?\/\s?)mm(²?)/g;

/** @returns {string} the unit that lengths are shown and typed in */
export function unit() {
  return document.querySelector("#main")?.getAttribute("data-unit") ?? "mm";
}

/** @param {number} length in mm @returns {number} in the unit of the project, no longer than it reads well */
export function shown(length) {
  const value = length / MILLIMETRES[unit()];
  return unit() === "mm" ? value : Number(value.toPrecision(6));
}

/** @param {number} value in the unit of the project @returns {number} in mm */
export function fromShown(value) {
  return value * MILLIMETRES[unit()];
}

/** @param {string} text @returns {number} a typed length in mm, a plain number in the unit of the project; NaN for what is none */
export function millimetres(text) {
  const match = /^\s*([\d.]+)\s*(mm|cm|m|inch|in|")?\s*$/.exec(text.replace(",", "."));
  return match ? Number(match[1]) * MILLIMETRES[match[2] === '"' ? "inch" : (match[2] ?? unit())] : NaN;
}

/** @param {string} text @returns {string} the text with its lengths in the unit of the project */
export function told(text) {
  const to = unit();
  if (to === "mm") return text;
  const factor = 1 / MILLIMETRES[to];
  return text
    .replace(RATE, (_, number, per, power) => `${short(number, power ? factor ** -2 : 1 / factor)}${per}${to}${power}`)
    .replace(LENGTH, (_, number, gap) => `${short(number, factor)}${gap || " "}${to}`);
}

/** @param {string} text @param {number} factor @returns {string} a number times a factor with as many digits as it had, but at least four */
function short(text, factor) {
  const bare = text.replaceAll(",", "").replace("−", "-");
  const value = Number(bare) * factor;
  if (value === 0) return "0";
  const digits = Math.max(DIGITS, bare.replace(/e.*/, "").replace(/\D/g, "").replace(/^0+/, "").length);
  const decimals = Math.max(0, digits - 1 - Math.floor(Math.log10(Math.abs(value))));
  const words = value.toLocaleString("en-US", { minimumFractionDigits: decimals, maximumFractionDigits: decimals });
  return (text[0] === "+" ? "+" : "") + (decimals ? words.replace(/0+$/, "").replace(/\.$/, "") : words);
}
