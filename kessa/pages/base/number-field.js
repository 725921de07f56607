// A field for a measured number takes a comma or a point, reads it back as it was understood, and says its bounds at once.

import { plain, read } from "./numbers.js";

const NO_NUMBER = "Write a number, such as 6.2 or 6,2.";

// Its own, or what stands behind it.
const unitOf = (field) => field.dataset.in ?? field.closest(".display")?.querySelector(":scope > span")?.textContent.trim() ?? "";

export const numberOf = (field) => (field.value.trim() === "" ? null : read(field.value));

function fault(field, value) {
  if (field.value.trim() === "") return "";
  if (value === null) return NO_NUMBER;
  const { min, max } = field.dataset;
  const span = [min && `at least ${plain(Number(min))}`, max && `at most ${plain(Number(max))}`].filter(Boolean).join(", ");
  return value < Number(min ?? value) || value > Number(max ?? value) ? `Not on the scale: ${[span, unitOf(field)].filter(Boolean).join(" ")}.` : "";
}

// Where it is read back, which describes the field.
function placeOf(field) {
  const id = `${field.id || field.name}_understood`;
  const known = field.form?.querySelector(`[id="${id}"]`) ?? document.getElementById(id);
  if (known) return known;
  const made = Object.assign(document.createElement("span"), { id, className: "understood" });
  (field.closest(".display, .inline, .control") ?? field).after(made);
  field.setAttribute("aria-describedby", [field.getAttribute("aria-describedby"), id].filter(Boolean).join(" "));
  return made;
}

// Also called where a script wrote into the field.
export function checkNumber(field) {
  const value = numberOf(field);
  const wrong = fault(field, value);
  field.setCustomValidity(wrong);
  field.ariaInvalid = wrong ? "true" : null;
  const place = placeOf(field);
  place.classList.toggle("late", Boolean(wrong));
  const unit = unitOf(field);
  place.textContent = wrong || (value === null || (!unit && String(value) === field.value) ? "" : `${value} ${unit}`.trim());
}

// Before whoever else listens to the field.
document.addEventListener("input", ({ target }) => target.matches?.("input[data-number]") && checkNumber(target), { capture: true });
