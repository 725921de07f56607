// What instruments show just now, offered where it is to be read: a tap fills the field, and the person keeps it.

import { tell } from "../base/announcer.js";

const EVERY = 900;
// By test and part, which reading of an instrument the field was filled from.
const taken = new WeakMap();

export function offerShown(bench) {
  if (!bench.given.measures) return;
  const asked = new URLSearchParams([["measures", bench.given.measures], ...bench.given.parameters.map((each) => ["of", each])]);
  const address = `/instruments/shown/?${asked}`;
  window.setInterval(async () => {
    if (document.hidden || bench.root.hidden || !bench.now?.run || !bench.determination.isReading(bench.now.run, bench.now.answers)) return;
    try {
      const answer = await fetch(address, { headers: { Accept: "application/json" } });
      if (answer.ok) draw(bench, (await answer.json()).shown);
    } catch {
      // Without a signal nothing is offered: the display is typed.
    }
  }, EVERY);
}

// What is kept besides a reading that was taken over as it was shown.
export function shownBy(bench, part, reading) {
  const from = taken.get(bench)?.[part];
  return from && from.display === reading.display ? { shown: from.id } : {};
}

function draw(bench, shown) {
  for (const place of bench.all("[data-offered]")) {
    const known = JSON.stringify(shown.map(({ id }) => id));
    place.hidden = !shown.length;
    tell("offered", shown.length ? "An instrument's reading is offered" : "");
    if (place.dataset.known === known) continue;
    place.dataset.known = known;
    place.replaceChildren(...shown.filter(({ over }) => !over).slice(0, 2).map((each) => offer(bench, place.closest("fieldset"), each)));
  }
}

function offer(bench, fieldset, each) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "act thin";
  button.textContent = `Take over ${each.said}: ${each.instrument}, ${each.seconds} s ago`;
  button.addEventListener("click", () => fill(bench, fieldset, each));
  return button;
}

function fill(bench, fieldset, each) {
  const set = (name, value) => {
    const field = fieldset.querySelector(`[data-field=${name}]`);
    if (!field || value === null) return;
    field.value = value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  };
  set("display", each.display);
  set("display_unit", each.unit);
  set("temperature_c", each.temperature_c);
  taken.set(bench, { ...taken.get(bench), [fieldset.dataset.part]: each });
  fieldset.dispatchEvent(new Event("input"));
}
