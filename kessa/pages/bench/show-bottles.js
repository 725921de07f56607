// A bottle or a box that runs out: it is said before the next drop or run would want more than the book holds.

import { tell } from "../base/announcer.js";
import { make } from "../base/element.js";
import { liveEvents } from "./run-state.js";

// What is used of each since it was begun, by the taps after it.
function left({ takes, lots }, events) {
  const own = new Set(lots.map(({ pk }) => pk));
  const change = events.findLast(({ kind, data }) => kind === "bottle_changed" && own.has(data.lot));
  const lot = change ? lots.find(({ pk }) => pk === change.data.lot) : lots[0];
  const since = change ? events.slice(events.indexOf(change) + 1) : events;
  const runs = new Set(since.filter(({ run }) => run).map(({ run }) => run));
  // The run in hand had its packet or tablet from the one before.
  if (change) for (const { run } of events.slice(0, events.indexOf(change))) runs.delete(run);
  const count = (kind) => since.filter((event) => event.kind === kind).length;
  return { lot, units: lot.left - takes.run * runs.size - takes.unit * count("drop_added") - takes.part * count("reading_taken") };
}

function button({ pk, number }) {
  const made = make("button", { type: "button", className: "act thin", textContent: `Go on with lot ${number}` });
  Object.assign(made.dataset, { act: "bottle", value: pk });
  return made;
}

export function showBottles(bench) {
  const place = bench.one("[data-bottles]");
  const events = liveEvents([...bench.keeper.taps.values()]);
  const out = bench.now.closing ? [] : (bench.given.bottles ?? []).map((bottle) => ({ ...bottle, ...left(bottle, events) })).filter(({ takes, units }) => units < (takes.unit || takes.run || takes.part) - 1e-9);
  const shown = JSON.stringify(out.map(({ lot }) => lot.pk));
  if (place.dataset.shown === shown) return;
  place.dataset.shown = shown;
  place.hidden = !out.length;
  tell("offered bottles", out.map(({ lot }) => `${lot.name} is used up by the book`).join(", "));
  // Bottles hold a little more than they say; what is measured beyond that is marked.
  const later = make("button", { type: "button", className: "act thin", textContent: "There is some left: not yet" });
  later.addEventListener("click", () => {
    place.hidden = true;
  });
  place.replaceChildren(
    ...out.map(({ lot, lots }) => {
      const others = lots.filter(({ pk, left: units }) => pk !== lot.pk && units > 0);
      const words = others.length ? "With which do you go on?" : "No other is in the kit: what is measured with it is marked.";
      return make("div", {}, make("p", {}, make("b", {}, `${lot.name} is used up by the book.`), ` ${words}`), ...others.map(button));
    }),
    later,
  );
}
