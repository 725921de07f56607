// What can be done on the bench: each act becomes taps of the test it is done in.

import { isBrief, setBrief } from "./brief.js";
import { numberOf } from "../base/number-field.js";
import { emptyFields, takeReading, untold } from "./reading.js";
import { isFinished, liveEvents } from "./run-state.js";
import { hint } from "./hints.js";
import { shownBy } from "./instrument-readings.js";
import { readySound, tick } from "../base/sound.js";

export const acts = {
  drop(bench) {
    const { run } = bench.now;
    if (run.state.count >= run.most) return hint(bench, "This is the most this range can count. Has it turned? If not, call it over the range.");
    bench.tap("drop_added");
    tick();
  },
  over(bench) {
    bench.tap("end_called", { endpoint: false });
  },
  turn(bench) {
    const { state } = bench.now.run;
    if (!state.count) return hint(bench, "Not yet: it begins to turn with a drop. Has it turned already? Then the end is at none.");
    if (state.first_change !== null) return hint(bench, `Noted already: it began to turn at ${bench.determination.units(state.first_change)}.`);
    bench.tap("began_to_turn");
  },
  end(bench) {
    const late = untold(bench.root)?.dataset.lateBy;
    bench.tap("end_called", { endpoint: true, ...(late && { unsure: Number(late) }) });
  },
  void(bench) {
    bench.tap("voided");
  },
  back(bench) {
    const { run, event, drop } = bench.determination.lastLive(bench.now);
    const target = isFinished(run.state) || ["began_to_turn", "end_called"].includes(event?.kind) ? event : drop;
    if (!target) return hint(bench, "Nothing to take back.");
    bench.add(run.source, "taken_back", { of: target.id });
  },
  next(bench) {
    const step = bench.determination.present(bench.now);
    if (step !== null && bench.given.steps[step].kind === "do") bench.tap("step_done", { step });
  },
  ready(bench) {
    for (const step of bench.determination.upToNext(bench.now)) bench.tap("step_done", { step });
  },
  clock(bench) {
    const step = bench.determination.present(bench.now);
    const seconds = bench.determination.clockSeconds(step, bench.now.run);
    if (seconds === null) return hint(bench, "The time follows from a reading before: take that first.");
    bench.tap("timer_started", { seconds, step });
    readySound();
  },
  wait(bench) {
    bench.tap("timer_started", { seconds: bench.given.settle_s });
    readySound();
  },
  answer(bench, button) {
    const { ask } = button.closest("[data-ask]").dataset;
    const field = button.dataset.value === undefined ? button.closest("[data-ask]").querySelector("input") : null;
    if (field && (field.value === "" || !field.checkValidity())) return field.reportValidity() && field.focus();
    button.closest("li").classList.remove("again");
    bench.add("", "answered", { key: ask, value: field ? numberOf(field) : button.dataset.value });
  },
  again(_, button) {
    button.closest("li").classList.add("again");
    button.closest("li").querySelector("[data-ask] input, [data-ask] button").focus();
  },
  read(bench, button) {
    const reading = takeReading(bench, button.dataset.of);
    if (reading) bench.tap("reading_taken", { part: button.dataset.of, reading, ...shownBy(bench, button.dataset.of, reading) });
  },
  bottle(bench, button) {
    bench.add("", "bottle_changed", { lot: Number(button.dataset.value) });
  },
  seen(bench, button) {
    bench.tap("seen", { part: button.dataset.of });
  },
  readOver(bench, button) {
    bench.tap("reading_taken", { part: button.dataset.of, reading: { over: true } });
  },
  unread(bench) {
    const read = liveEvents(bench.now.run.events).findLast((event) => event.kind === "reading_taken");
    if (read) bench.tap("taken_back", { of: read.id });
  },
  sure(bench, button) {
    bench.add("", "sure", { part: button.dataset.of, doubt: button.dataset.doubt });
  },
  stop(bench) {
    bench.tap("stopped");
  },
  skip(bench) {
    bench.tap("blank_skipped");
  },
  go(bench) {
    begin(bench, bench.choices().go[1]);
  },
  other(bench) {
    begin(bench, bench.choices().other[1]);
  },
  undo(bench) {
    const { run, event } = bench.determination.lastLive(bench.now);
    if (bench.now.closing || !event) return;
    bench.opened = null;
    bench.add(run.source, "taken_back", { of: event.id });
  },
  brief(bench, button) {
    setBrief(bench.given.family, button.dataset.value ? button.dataset.value === "on" : !isBrief(bench.given.family));
    bench.draw();
  },
  keys() {
    document.querySelector("[data-keys]").showModal();
  },
};

function begin(bench, what) {
  if (what === "close") bench.add("", "closed");
  else {
    bench.opened = what;
    emptyFields(bench);
  }
  bench.draw();
  window.scrollTo({ top: 0 });
}
