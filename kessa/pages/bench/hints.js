// What the bench says beside the count. A hint stands until the run moves on: a reply of the server draws the page anew, and must
// not wipe it away.

import { tell } from "../base/announcer.js";

const moment = (run) => JSON.stringify([run.name, { ...run.state, steps: run.state.steps.size }]);

export function say(bench, words) {
  bench.one("[data-said]").textContent = words;
  if (!bench.root.hidden) tell("stands", words);
}

export function hint(bench, words) {
  say(bench, words);
  bench.hinted = moment(bench.now.run);
}

export const isHinted = (bench) => bench.hinted === moment(bench.now.run);
