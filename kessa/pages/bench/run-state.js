// The count, the readings and the clocks of a run, derived from its events by the table that kessa/core/runs/state.py derives them by.

import { RULES } from "./run-rules.js";

function before(a, b) {
  if (a.seq !== b.seq) return a.seq - b.seq;
  if (a.at !== b.at) return a.at < b.at ? -1 : 1;
  return a.id < b.id ? -1 : Number(a.id > b.id);
}

export const inOrder = (events) => [...events].sort(before);

export function liveEvents(events) {
  const takenBack = new Set(events.filter((event) => event.kind === "taken_back").map((event) => event.data.of));
  return inOrder(events).filter((event) => event.kind !== "taken_back" && !takenBack.has(event.id));
}

export const deriveRun = (events, most, parts) => deriveLive(liveEvents(events), most, parts);

// The same of events that are in order, without those taken back.
export function deriveLive(live, most, parts = []) {
  const state = { count: 0, first_change: null, endpoint: null, voided: false, skipped: false, stopped: false, steps: new Set(), clock: null, clocks: {}, readings: {}, missing: [...parts], seen: {}, late: 0 };
  for (const event of live) apply(state, event, most);
  return state;
}

const hasReadings = (state) => Object.keys(state.readings).length > 0;
export const isRead = (state) => hasReadings(state) && !state.missing.length;

// What the conditions of the table mean: of the run alone, and of the event that comes to it, with the range's end.
export const IS = {
  ended: (state) => state.endpoint !== null,
  "every part read": isRead,
  stopped: (state) => state.stopped,
  voided: (state) => state.voided,
  skipped: (state) => state.skipped,
};
export const HOLDS = {
  "not finished": (state) => !isFinished(state),
  "below the range's end": (state, _event, most) => state.count < most,
  "something counted": (state) => state.count > 0,
  "no turn yet": (state) => state.first_change === null,
  "with an end": (_state, { data }) => data.endpoint ?? true,
  "not stopped": (state) => !state.stopped,
  "not voided": (state) => !state.voided,
  "something read": hasReadings,
  ended: IS.ended,
  "with a count": (_state, { data }) => data.count !== undefined,
  "its part read": (state, { data }) => state.readings[data.part] !== undefined,
};
export const DO = {
  "count one more": (state) => {
    state.count += 1;
  },
  "clear the clock": (state) => {
    state.clock = null;
  },
  "note one too late": (state) => {
    state.late += 1;
  },
  "turn at this count": (state) => {
    state.first_change = state.count;
  },
  end: (state, { data }) => {
    state.endpoint = data.endpoint ?? true;
  },
  // Who could not tell the colours may have called the end so many units late.
  "turn as early as an unsure eye may have missed": (state, { data }) => {
    if (state.endpoint && data.unsure) state.first_change = Math.min(state.first_change ?? state.count, Math.max(state.count - data.unsure, 1));
  },
  skip: (state) => {
    state.skipped = true;
  },
  void: (state) => {
    state.voided = true;
  },
  "tick the step": (state, { data }) => state.steps.add(data.step),
  "start the clock": (state, { at, data }) => {
    const clock = { at, seconds: data.seconds };
    if (data.step === undefined) state.clock = clock;
    else state.clocks[data.step] = clock;
  },
  "note when it was seen": (state, { at, data }) => {
    state.seen[data.part] = at;
  },
  // A reading counts as of when the eye took it. Read again, the last one counts.
  "read the part": (state, { at, data }) => {
    const seen = state.seen[data.part];
    delete state.seen[data.part];
    state.readings[data.part] = { at: seen && seen < at ? seen : at, raw: data.reading };
    state.missing = state.missing.filter((part) => part !== data.part);
  },
  stop: (state) => {
    state.stopped = true;
  },
  "correct the count": (state, { data }) => {
    Object.assign(state, { count: data.count, first_change: data.first_change ?? null, endpoint: data.endpoint ?? true });
  },
  // The moment of reading stays.
  "correct the reading": (state, { data }) => {
    state.readings[data.part] = { ...state.readings[data.part], raw: data.reading };
  },
};

export const isFinished = (state) => RULES.finished.some((each) => IS[each](state));
export const givesReading = (state) => (state.endpoint !== null || (isFinished(state) && hasReadings(state))) && !state.voided;

function apply(state, event, most) {
  const row = (RULES.transitions[event.kind] ?? []).find(({ when }) => when.every((each) => HOLDS[each](state, event, most)));
  for (const each of row?.do ?? []) DO[each](state, event);
}
