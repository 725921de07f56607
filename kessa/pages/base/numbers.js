// Numbers as people write them: the same as kessa/core/quantities/quantity.py, held to the same cases.

import { FIGURES } from "./number-rules.js";

// A number as it was typed, with a comma or a point and groups of three apart; null where it is none.
export function read(text) {
  const plainly = text.trim().replace("−", "-").replace(/(?<=\d)[ \u00a0\u2009\u202f](?=\d{3}(?!\d))/g, "");
  return /^[+-]?(\d+([.,]\d*)?|[.,]\d+)$/.test(plainly) ? Number(plainly.replace(",", ".")) : null;
}

// Rounded to so many decimals; a half goes to the even digit.
function fixed(number, decimals) {
  const written = Math.abs(number).toFixed(decimals);
  const exact = Math.abs(number).toFixed(Math.min(decimals + 60, 100));
  const dot = exact.indexOf(".");
  const rest = exact.slice(dot + 1 + decimals);
  const down = exact.slice(0, decimals ? dot + 1 + decimals : dot);
  const isHalf = /^50*$/.test(rest);
  const digits = isHalf && Number(down.at(-1)) % 2 === 0 ? down : written;
  return number < 0 && /[1-9]/.test(digits) ? `-${digits}` : digits;
}

const powerOf = (number) => Number(Math.abs(number).toExponential(15).split("e")[1]);
const trimmed = (text) => (text.includes(".") ? text.replace(/\.?0+$/, "") : text);

// Up to so many significant figures, without trailing zeros; nothing is rounded away before the point.
function significant(number, figures) {
  if (!number) return "0";
  // What needs an exponent is written out, to nine decimals.
  const power = powerOf(number);
  return trimmed(fixed(number, power < -4 && power > -7 ? 9 : Math.max(figures - 1 - power, 0)));
}

export const plain = (number) => significant(number, FIGURES.most);

// How a value and both ends of its interval are written: to the digits that the interval leaves of meaning.
export function deserved(low, high) {
  if (low === null || high === null || !(high > low)) return fewFigures;
  const half = (high - low) / 2;
  const power = Math.floor(Math.log10(half));
  const decimals = (half / 10 ** power < FIGURES["one more below"] ? 1 : 0) - power;
  return (number) => fixed(number, Math.min(Math.max(decimals, 0), FIGURES.decimals));
}

function fewFigures(number) {
  if (Math.abs(number) >= 100 || number === 0) return plain(number);
  return significant(number, Math.abs(number) < 1 ? FIGURES["alone below 1"] : FIGURES.alone);
}
