/** Coordinates as they are typed: rounded, and moved without losing the sizes in their expressions. */

const OFFSET = /^(.*[^\s])\s+[-+]\s+[\d.]+ mm$/;

/** @returns {number} a coordinate to a thousandth of a mm */
export function round(value) {
  return Math.round(value * 1000) / 1000;
}

/** The text of a coordinate after a move: plain numbers are replaced, expressions keep their sizes. */
export function shifted(raw, before, after) {
  if (typeof raw === "number" || /^\s*-?[\d.]+\s*(mm)?\s*$/.test(raw)) return round(after);
  if (Math.abs(after - before) < 1e-9) return raw;
  const match = OFFSET.exec(raw);
  const base = match ? match[1] : raw;
  const old = match ? Number(raw.slice(base.length).replace(/[\s+m]/g, "")) : 0;
  const offset = round(old + after - before);
  if (offset === 0) return base;
  return `${base} ${offset < 0 ? "-" : "+"} ${Math.abs(offset)} mm`;
}
