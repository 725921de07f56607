// What the bench shows, all of it from where the test stands.

import { isBrief, isOffered, showSwitch } from "./brief.js";
import { isFinished } from "./run-state.js";
import { showBottles } from "./show-bottles.js";
import { showClocks } from "./show-clocks.js";
import { showCount } from "./show-count.js";
import { runName, showRuns } from "./show-runs.js";
import { showOutcome } from "./show-outcome.js";
import { showReadingSheet, showSteps } from "./show-steps.js";

// Draw where a test stands.
export function show(bench) {
  const { now, determination } = bench;
  const { run } = now;
  const board = bench.one("[data-bench]");
  const reading = determination.isReading(run, now.answers);
  // Until the taps of before are read, the page takes none: nothing tapped may get lost.
  board.inert = false;
  const counting = determination.isCounting(run, now.answers);
  board.classList.toggle("is-blank", run?.role === "blank");
  board.classList.toggle("is-reading", reading);
  board.classList.toggle("brief", isBrief(bench.given.family));
  board.classList.toggle("is-counting", counting);
  for (const sheet of bench.all("[data-count-sheet], [data-reading-sheet]")) sheet.hidden = !run;
  const underWay = Boolean(run?.state.count || run?.state.endpoint) || counting || Object.keys(run?.state.readings ?? {}).length > 0;
  board.classList.toggle("has-count", underWay);
  board.classList.toggle("is-preparing", Boolean(run) && !underWay && !reading);
  bench.one("[data-between]").hidden = Boolean(run);
  bench.one("[data-run-name]").textContent = run ? runName(run) : "between runs";
  showSteps(bench);
  showBottles(bench);
  showRuns(bench);
  if (!run) showBetween(bench);
  else if (bench.one("[data-count-sheet]")) showCount(bench, counting);
  else showReadingSheet(bench, reading);
  const skip = bench.act("skip");
  skip.hidden = !(run?.role === "blank" && !isFinished(run.state));
  bench.act("unread").hidden = !run || !Object.keys(run.state.readings).length || run.state.stopped;
  bench.act("ready").hidden = !(run && isBrief(bench.given.family) && determination.upToNext(now).length > 1);
  if (!bench.root.hidden) showSwitch(bench.given.family);
  bench.one("[data-offer-brief]").hidden = !isOffered(bench.given.family);
  showClocks(bench);
}

function closingWords(given) {
  if (given.lacks_table) return { title: "Waits for its lot's table", words: "It is written in the log as soon as the table is. You may put the phone away." };
  return { title: given.world ? "Being looked at" : "Being written in the log", words: "It is done as soon as there is a signal. Your taps are kept in this browser: you may put the phone away." };
}

function showBetween(bench) {
  const { now } = bench;
  const chosen = now.closing
    ? closingWords(bench.given)
    : bench.choices();
  bench.one("[data-between-title]").textContent = chosen.title;
  bench.one("[data-between-words]").textContent = chosen.words;
  const checks = bench.one("[data-blank-checks]");
  if (checks) checks.hidden = !chosen.checks;
  for (const part of bench.all("[data-outcome], [data-outcome-more]")) part.hidden = !now.counted.length;
  if (now.counted.length && !bench.isOutcomeSaid) showOutcome(bench);
  bench.act("go").hidden = !chosen.go;
  if (chosen.go) bench.one("[data-go]").textContent = chosen.go[0];
  bench.act("other").hidden = !chosen.other;
  if (chosen.other) bench.one("[data-other-words]").textContent = chosen.other[0];
  bench.act("undo").hidden = now.closing;
}
