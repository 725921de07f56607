// What a display says in the scale's own unit, and whether the place is usually far from it: look at the unit again.

import { checkNumber, numberOf } from "./number-field.js";
import { plain } from "./numbers.js";

// Let a field say why its number cannot be on a scale, and return the words; nothing where it can.
export function checkOnScale(field, of, unit) {
  checkNumber(field);
  const off = offScale(of, numberOf(field), unit);
  if (off) Object.assign(field, { ariaInvalid: "true" }).setCustomValidity(off);
  return off;
}

function inOwnUnit(of, shown, unit) {
  const [slope, offset] = of.units[unit?.value || of.own];
  return shown * slope + offset;
}

const written = (value, of) => `${plain(value)} ${of.sign}`.trim();

// In the words in which the server would refuse it.
function offScale(of, shown, unit) {
  if (!of?.scale || shown === null) return "";
  const [least, most] = of.scale;
  const value = inOwnUnit(of, shown, unit);
  if (value >= least && value <= most) return "";
  const is = unit && unit.value !== of.own ? `${plain(shown)} ${unit.selectedOptions[0].text.trim()} is ${written(value, of)}. ` : "";
  return `${is}Not on the scale: it runs from ${plain(least)} to ${written(most, of)}.`;
}

// `of` holds the own unit, its sign, slope and offset of each unit, and what is usual; `unit` is the select, if there is one.
export function showHint(said, of, shown, unit) {
  if (shown === null || shown === undefined) return said.replaceChildren();
  const value = inOwnUnit(of, shown, unit);
  const parts = [];
  if (unit && unit.value !== of.own) parts.push(`${plain(shown)} ${unit.selectedOptions[0].text} is ${written(value, of)}.`);
  const [low, high] = of.usual ?? [value, value];
  if (value < low || value > high) parts.push(`This place is usually ${plain(low)} to ${written(high, of)}.`);
  const far = Boolean(of.usual) && low > 0 && (value > high * 3 || value < low / 3);
  if (far) parts.push("Check the unit on the display.");
  if (value > (of.reach ?? value)) parts.push(`Above the range, which ends at ${written(of.reach, of)}: kept as more than that.`);
  const [least, most] = of.can_be ?? [value, value];
  const hardly = value < least || value > most;
  if (hardly) parts.push(`${written(value, of)} can hardly be here: look again. Kept as it is, it is marked.`);
  said.textContent = parts.join(" ");
  said.classList.toggle("late", far || hardly);
}
