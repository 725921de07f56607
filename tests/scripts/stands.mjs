// Says where the page sees runs stand, of cases on standard input: the present step, when
// each part may be read, how long clocks run, what was counted.

import { readFileSync } from "node:fs";
import "./browser.js";

const { Standing } = await import("../../kessa/pages/bench/determination-state.js");

const found = JSON.parse(readFileSync(0)).map(({ given, events, role }) => {
  const standing = new Standing(given);
  const { samples, blanks, answers } = standing.stand(events, null);
  const run = (role === "blank" ? blanks : samples)[0] ?? standing.emptyRun(role, 1);
  const over = run.state.voided || run.state.skipped;
  const windows = given.parts.map(({ key }) => (standing.counted ? null : standing.readingWindow(key, run, answers)));
  const clocks = given.steps.map((step, index) => (step.wait ? standing.clockSeconds(index, run) : null));
  const counts = (run.pair ? [run.pair.first, run.pair.second] : [run.state]).map(({ count }) => count);
  return { present: over ? null : standing.presentStep(run, answers), windows, clocks, counts };
});
process.stdout.write(JSON.stringify(found));
