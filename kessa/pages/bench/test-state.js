// What a test is about just now, in a word or two: not begun, being done, waiting for its clock, due, between two runs, done.

import { clockWords } from "../base/shelf.js";
import { isFinished } from "./run-state.js";
import { inWords } from "./show-outcome.js";
import { runName } from "./show-runs.js";

// `kind` is "fresh", "doing", "waiting", "due", "between", "closing" or "done"; `presses` is whether the
// time of what is due runs out, `inHand` whether a count or a reading is under way.
export function stateOf(bench) {
  const { now, determination, done } = bench;
  if (done) return { kind: "done", words: done };
  if (now.closing) return { kind: "closing", words: resultOf(bench) || (bench.given.lacks_table ? "waits for its lot's table" : "being written") };
  const { run } = now;
  if (!run) return { kind: "between", words: bench.choices().go?.[1] === "close" ? "to write down" : "next run" };
  if (!bench.keeper.taps.size) return { kind: "fresh", words: "" };
  if (Object.keys(run.state.seen).length) return { kind: "doing", words: "read: its number", inHand: true };
  const clock = waitedFor(bench);
  if (clock && Date.now() < clock.opens) return { kind: determination.isAttended(now) ? "doing" : "waiting", words: clockWords(clock.opens - Date.now()), inHand: true };
  if (clock) return { kind: "due", presses: Boolean(clock.closes), words: dueWords(clock) };
  const units = run.state.count && !isFinished(run.state) ? `, ${run.state.count}` : "";
  const inHand = (determination.isCounting(run, now.answers) && run.state.count > 0) || determination.isReading(run, now.answers);
  return { kind: "doing", words: `${runName(run)}${units}`, inHand };
}

// What it came to, as far as this device can say.
function resultOf({ determination, now }) {
  return determination.outcomes(now).map((outcome) => inWords(outcome).slice(0, 2).join(" ").trim()).filter(Boolean).join(", ");
}

// The clock that the present step waits for: its own, or the one by which its reading is timed.
function waitedFor({ now, determination }) {
  const present = determination.present(now);
  const clocks = determination.clocksOf(now.run, now.answers);
  const own = clocks.find((clock) => clock.key === String(present));
  if (own) return own;
  return determination.isReading(now.run, now.answers) ? (clocks.find((clock) => clock.key !== "settle") ?? null) : null;
}

function dueWords(clock) {
  if (!clock.closes) return "go on now";
  const left = clock.closes - Date.now();
  return left >= 0 ? `read now, ${clockWords(left)} left` : "past its time";
}
