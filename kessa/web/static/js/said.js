// What the bench says beside the count. A hint stands until the run moves on: a reply of the server draws the page anew, and must
// not wipe it away.

import { one } from "./dom.js";

let hinted = "";

const moment = (run) => JSON.stringify([run.name, { ...run.state, steps: run.state.steps.size }]);

export function say(words) {
  one("[data-said]").textContent = words;
}

export function hint(run, words) {
  say(words);
  hinted = moment(run);
}

export const isHinted = (run) => hinted === moment(run);
