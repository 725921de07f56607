// Says which state the page sees runs in, of cases on standard input: the present step, when
// each part may be read, how long clocks run, what was counted.

import { readFileSync } from "node:fs";
import "./browser.js";

const { DeterminationState } = await import("../../kessa/pages/bench/determination-state.js");

const found = JSON.parse(readFileSync(0)).map(({ given, events, role }) => {
  const determination = new DeterminationState(given);
  const { samples, blanks, answers } = determination.after(events, null);
  const run = (role === "blank" ? blanks : samples)[0] ?? determination.emptyRun(role, 1);
  const over = run.state.voided || run.state.skipped;
  const windows = given.parts.map(({ key }) => (determination.counted ? null : determination.readingWindow(key, run, answers)));
  const clocks = given.steps.map((step, index) => (step.wait ? determination.clockSeconds(index, run) : null));
  const counts = (run.pair ? [run.pair.first, run.pair.second] : [run.state]).map(({ count }) => count);
  return { present: over ? null : determination.presentStep(run, answers), windows, clocks, counts };
});
process.stdout.write(JSON.stringify(found));
