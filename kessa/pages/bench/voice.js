// What is said of the test in hand, to screen readers and, where the person wishes, aloud by the browser's own voice: the count, the
// next step, what to read now.

import { tell } from "../base/announcer.js";
import { setting } from "../base/sound.js";

const voice = window.speechSynthesis;
let last = "";

export function speak(words) {
  if (!voice || !setting("voice") || !words || words === last) return;
  last = words;
  // What is said late is said wrong: the newest is what counts.
  voice.cancel();
  voice.speak(new SpeechSynthesisUtterance(words));
}

// What is to be said of a test that is shown: the count while counting, else the present step or what the runs came to.
export function speakOf(bench) {
  const { run, answers } = bench.now;
  if (bench.root.hidden) return;
  const { state } = run ?? {};
  const counted = run && state.count && state.endpoint === null && bench.determination.isCounting(run, answers);
  const step = bench.all("li.now > span").find((each) => each.checkVisibility())?.textContent ?? "";
  const present = run ? step : bench.one("[data-between-title]").textContent;
  tell("changed", counted ? bench.determination.units(state.count) : present);
  if (!run) tell("stands", bench.one("[data-between-words]").textContent);
  speak(counted ? `${state.count}${state.first_change === state.count ? ", began to turn" : ""}` : present);
}
