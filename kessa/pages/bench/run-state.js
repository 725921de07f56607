// The count, the readings and the clocks of a run, derived from its events: the same rules as kessa/core/runs.py, held to the same cases.

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
export const isFinished = (state) => state.endpoint !== null || isRead(state) || state.stopped || state.voided || state.skipped;
export const givesReading = (state) => (state.endpoint !== null || (isFinished(state) && hasReadings(state))) && !state.voided;

function apply(state, event, most) {
  const finished = isFinished(state);
  if (event.kind === "drop_added") {
    if (finished || state.count >= most) state.late += 1;
    else {
      state.count += 1;
      state.clock = null;
    }
  } else if (event.kind === "began_to_turn") {
    if (!finished && state.count && state.first_change === null) state.first_change = state.count;
  } else if (event.kind === "end_called") {
    const endpoint = event.data.endpoint ?? true;
    if (!finished && (state.count || endpoint)) {
      state.endpoint = endpoint;
      state.clock = null;
      // Who could not tell the colours may have called it so late.
      if (endpoint && state.count && event.data.unsure) state.first_change = Math.min(state.first_change ?? state.count, Math.max(state.count - event.data.unsure, 1));
    }
  } else if (event.kind === "voided") {
    state.voided = true;
    state.clock = null;
  } else if (event.kind === "blank_skipped") {
    if (!finished) state.skipped = true;
  } else if (event.kind === "step_done") {
    state.steps.add(event.data.step);
  } else if (event.kind === "timer_started") {
    if (!finished) startClock(state, event);
  } else if (event.kind === "seen") {
    if (!finished) state.seen[event.data.part] = event.at;
  } else if (event.kind === "reading_taken") {
    if (!state.stopped && !state.voided) read(state, event);
  } else if (event.kind === "stopped") {
    if (hasReadings(state)) state.stopped = true;
  } else if (event.kind === "corrected") {
    correct(state, event.data);
  }
}

function startClock(state, event) {
  const clock = { at: event.at, seconds: event.data.seconds };
  if (event.data.step === undefined) state.clock = clock;
  else state.clocks[event.data.step] = clock;
}

// Put right what was counted, or what was read of a part: the moment of reading stays.
function correct(state, right) {
  if (right.count !== undefined && state.endpoint !== null) {
    Object.assign(state, { count: right.count, first_change: right.first_change ?? null, endpoint: right.endpoint ?? true });
  } else if (state.readings[right.part]) {
    state.readings[right.part] = { ...state.readings[right.part], raw: right.reading };
  }
}

// A reading counts as of when the eye took it. Read again, the last one counts.
function read(state, event) {
  const seen = state.seen[event.data.part];
  delete state.seen[event.data.part];
  state.readings[event.data.part] = { at: seen && seen < event.at ? seen : event.at, raw: event.data.reading };
  state.missing = state.missing.filter((part) => part !== event.data.part);
}
