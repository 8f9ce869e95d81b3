/** Numbers as they are typed: rounded, and changed without losing the sizes in their expressions. */
import { MILLIMETRES } from "../../unit.js";

const PLAIN = /^\s*-?[\d.]+\s*(mm|°)?\s*$/;
/** A plain length in another unit than mm, which it keeps. */
const IN_UNIT = /^\s*-?[\d.]+\s*(cm|m|inch)\s*$/;
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
  const plain = plainAfter(raw, after, unit);
  if (plain !== null) return plain;
  if (Math.abs(after - before) < 1e-9) return raw;
  const match = OFFSET.exec(raw);
  const base = match ? match[1] : raw;
  const old = match ? Number(raw.slice(base.length).replace(/[\s+m°]/g, "")) : 0;
  const offset = round(old + after - before);
  if (offset === 0) return base;
  return `${base} ${offset < 0 ? "-" : "+"} ${withUnit(Math.abs(offset), unit)}`;
}

/** @returns {null | number | string} the number that takes the place of a plain one, in the unit that it had; null for an expression */
function plainAfter(raw, after, unit) {
  if (typeof raw === "number" || PLAIN.test(raw)) return round(after);
  const other = unit === "mm" ? IN_UNIT.exec(raw) : null;
  return other && `${Number((after / MILLIMETRES[other[1]]).toFixed(5))} ${other[1]}`;
}

/** @param {number} value @param {string} unit @returns {string} a number with its unit, as sheets write it */
export function withUnit(value, unit) {
  return unit === "mm" ? `${value} mm` : `${value}${unit}`;
}
