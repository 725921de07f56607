// One run that two devices made without knowing of each other is two runs: the same rule as kessa/core/runs/parted.py, held to the
// same cases.

import { liveEvents } from "./run-state.js";

const NO_CHANCE = 2;

const byTime = (a, b) => (a.at === b.at ? (a.id < b.id ? -1 : 1) : a.at < b.at ? -1 : 1);
const partsRead = (taps) => taps.filter(({ kind }) => kind === "reading_taken").map(({ data }) => data.part);
const ended = (taps) => taps.some(({ kind }) => kind === "end_called");
const drops = (taps) => taps.filter(({ kind }) => kind === "drop_added").length;

function unknowing(some, others) {
  const numbers = new Set(others.map(({ seq }) => seq));
  const shared = new Set(some.map(({ seq }) => seq).filter((seq) => numbers.has(seq)));
  const [one, other] = [liveEvents(some), liveEvents(others)];
  const read = partsRead(one).some((part) => partsRead(other).includes(part));
  return shared.size >= NO_CHANCE && (Math.min(drops(one), drops(other)) >= NO_CHANCE || (ended(one) && ended(other)) || read);
}

// The devices that made a run of their own beside another's, the earliest to tap not among them.
function apart(events) {
  const made = new Map();
  for (const event of [...events].sort(byTime)) made.set(event.device, [...(made.get(event.device) ?? []), event]);
  const keeping = [];
  const later = [];
  for (const [device, taps] of made) (keeping.some((other) => unknowing(taps, made.get(other))) ? later : keeping).push(device);
  return later;
}

// Runs by name, each with its events and the name under which they were tapped.
export function parted(runs) {
  // What was put right of a run goes by the number it has here.
  const isRun = (name) => runs.get(name).some(({ kind }) => kind !== "corrected");
  const taken = new Set([...runs.keys()].filter(isRun));
  const free = (role) => {
    let number = 1;
    while (taken.has(`${role}-${number}`)) number += 1;
    taken.add(`${role}-${number}`);
    return `${role}-${number}`;
  };
  const found = new Map();
  for (const name of [...runs.keys()].sort()) {
    const events = runs.get(name);
    const devices = new Set(events.map(({ device }) => device)).size;
    const moved = new Map((devices > 1 ? apart(events) : []).map((device) => [device, free(name.split("-")[0])]));
    for (const event of events) {
      const to = moved.get(event.device) ?? name;
      if (!found.has(to)) found.set(to, { source: name, events: [] });
      found.get(to).events.push(event);
    }
  }
  return found;
}
