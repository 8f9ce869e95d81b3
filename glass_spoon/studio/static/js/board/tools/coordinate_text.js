/** Numbers as they are typed: rounded, and changed without losing the sizes in their expressions. */

const PLAIN = /^\s*-?[\d.]+\s*(mm|°)?\s*$/;
const OFFSET = /^(.*[^\s])\s+[-+]\s+[\d.]+\s*(?:mm|°)?$/;

/** @returns {number} a number to a thousandth */
export function round(value) {
  return Math.round(value * 1000) / 1000;
}

/**
 * The text of a number after a change: plain ones are replaced, expressions keep their sizes.
 * @param {any} raw @param {number} before @param {number} after @param {string} unit of both: mm, ° or none
 */
export function shifted(raw, before, after, unit = "mm") {
  if (typeof raw === "number" || PLAIN.test(raw)) return round(after);
  if (Math.abs(after - before) < 1e-9) return raw;
  const match = OFFSET.exec(raw);
  const base = match ? match[1] : raw;
  const old = match ? Number(raw.slice(base.length).replace(/[\s+m°]/g, "")) : 0;
  const offset = round(old + after - before);
  if (offset === 0) return base;
  return `${base} ${offset < 0 ? "-" : "+"} ${withUnit(Math.abs(offset), unit)}`;
}

/** @param {number} value @param {string} unit @returns {string} a number with its unit, as sheets write it */
export function withUnit(value, unit) {
  return unit === "mm" ? `${value} mm` : `${value}${unit}`;
}
