// What was refused, with what was typed, to be corrected or dropped with a reason; either is noted.

import { newId } from "../base/tap-queue.js";
import { make } from "../base/element.js";
import { read } from "../base/numbers.js";
import { endTaps } from "../base/outbox.js";
import { allKept, openStore } from "../base/store.js";
import { tapWords, typed } from "../base/tap-words.js";

// A number stays one, with a comma or a point; what was a word stays a word.
function corrected(tap, form) {
  const data = structuredClone(tap.data);
  for (const [nth, { path, value }] of typed(tap).entries()) {
    const text = form.elements[`typed-${nth}`].value.trim();
    const number = typeof value === "number" ? read(text) : text;
    if (number === null) return null;
    path.slice(0, -1).reduce((within, key) => within[key], data)[path.at(-1)] = number;
  }
  const { refused, ...rest } = tap;
  return { ...rest, id: newId(), data };
}

async function end(tap, form, instead, after) {
  const said = form.querySelector("[data-mend-said]");
  const why = form.elements.why.value.trim();
  if (!why) {
    said.textContent = "Say why: it is noted.";
    return form.elements.why.focus();
  }
  try {
    await endTaps([tap], why, instead);
    await after();
  } catch (failure) {
    said.textContent = failure.told ? failure.message : "That needs a signal. It stays here until then.";
  }
}

function formOf(tap, after) {
  const at = new Intl.DateTimeFormat(undefined, { weekday: "short", hour: "2-digit", minute: "2-digit" }).format(new Date(tap.at));
  const fields = typed(tap).map(({ name, value }, nth) => make("label", { className: "label" }, name, make("input", { className: "input num", name: `typed-${nth}`, value, inputMode: typeof value === "number" ? "decimal" : "text", autocomplete: "off" })));
  const why = make("label", { className: "label" }, "Why", make("input", { className: "input", name: "why", maxLength: 300, autocomplete: "off" }));
  const buttons = make("div", { className: "inline after" }, make("button", { type: "button", className: "button", textContent: "Drop it", name: "drop" }));
  if (fields.length) buttons.prepend(make("button", { className: "button is-primary", textContent: "Send it corrected" }));
  const said = make("p", {}, "");
  Object.assign(said, { role: "alert" }).dataset.mendSaid = "";
  const form = make("form", { className: "after", noValidate: true }, make("p", {}, make("b", {}, tapWords(tap)), ` ${[tap.about, at].filter(Boolean).join(", ")}`), make("p", { className: "late", textContent: tap.refused }), ...fields, why, buttons, said);
  form.setAttribute("aria-label", tapWords(tap));
  form.elements.drop.addEventListener("click", () => end(tap, form, null, after));
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    const instead = corrected(tap, form);
    if (!instead) said.textContent = "Write a number, such as 6.2 or 6,2.";
    else end(tap, form, instead, after);
  });
  return form;
}

// `after()` is called when something was mended or dropped. What somebody is typing in stays as it is.
export async function showRefused(place, after) {
  const refused = (await allKept(await openStore())).filter((tap) => tap.refused);
  const shown = new Set([...place.children].map((form) => form.dataset.tap));
  for (const form of place.children) if (!refused.some((tap) => tap.id === form.dataset.tap)) form.remove();
  for (const tap of refused.filter((each) => !shown.has(each.id))) {
    const form = formOf(tap, after);
    form.dataset.tap = tap.id;
    place.append(form);
  }
  place.closest("section").hidden = !refused.length;
}
