// Said aloud by the browser's own voice, where the person wishes: the count, the next step, what to read now.

import { setting } from "./sound.js";

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
  if (bench.root.hidden || !setting("voice")) return;
  const { state } = run ?? {};
  if (run && state.count && state.endpoint === null && bench.standing.isCounting(run, answers)) return speak(`${state.count}${state.first_change === state.count ? ", began to turn" : ""}`);
  const text = bench.all("li.now > span").find((each) => each.checkVisibility())?.textContent;
  speak(run ? text : bench.one("[data-between-title]").textContent);
}
