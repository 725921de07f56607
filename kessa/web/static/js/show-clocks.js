// The clocks of the bench: of steps, of a colour that must last, between two units; and what of them stands on the shelf.

import { one } from "./dom.js";
import { showReadings } from "./reading.js";
import { hint } from "./said.js";
import { clockWords, putOnShelf } from "./shelf.js";
import { ring } from "./sound.js";
import { clockSeconds, clocksOf, given, isCounting, isReading, lastLive, partsOf, present } from "./standing.js";

let ringing = null;
let shelved = "";

export function showClocks(now) {
  const { run } = now;
  const running = now.closing ? [] : clocksOf(run, now.answers);
  const kept = JSON.stringify(running);
  if (kept !== shelved) {
    shelved = kept;
    putOnShelf(given.stream, given.place, given.here, running).catch(() => {});
  }
  showSettling(now);
  showStepClock(run);
  if (isReading(run, now.answers)) showReadings(run, now.answers, partsOf(present(now)));
}

function showSettling(now) {
  const clock = now.run?.state.clock;
  const left = clock ? Date.parse(clock.at) + clock.seconds * 1000 - Date.now() : null;
  const place = one("[data-clock]");
  if (place) place.textContent = left === null ? "" : left > 0 ? ` ${clockWords(left)}` : " look now";
  if (left !== null && left <= 0 && ringing !== clock.at) {
    ringing = clock.at;
    hint(now.run, "The wait is over: does the colour stay? Then call the end.");
  }
  const between = one("[data-between-clock]");
  const last = given.between_s && isCounting(now.run, now.answers) ? lastLive(now).drop : null;
  const rest = last ? Date.parse(last.at) + given.between_s * 1000 - Date.now() : 0;
  if (between) between.textContent = rest > 0 ? `next in ${clockWords(rest)}` : "";
  if (last && rest <= 0 && rest > -1000 && ringing !== last.id) {
    ringing = last.id;
    ring();
  }
}

function showStepClock(run) {
  for (const wait of document.querySelectorAll("[data-wait]")) {
    const item = wait.closest("[data-step]");
    const step = Number(item.dataset.step);
    const clock = run?.state.clocks[step];
    const left = clock ? Date.parse(clock.at) + clock.seconds * 1000 - Date.now() : null;
    const timer = wait.querySelector("[data-timer]");
    timer.hidden = !clock;
    item.classList.toggle("waiting", left !== null && left > 0);
    item.classList.toggle("unstarted", !clock);
    wait.querySelector("[data-act=clock]").hidden = Boolean(clock);
    item.querySelector("[data-next-words]").textContent = !clock ? "Go on without the clock" : left > 0 ? "Go on before the time" : "Done, next";
    if (!clock) {
      const seconds = run && given.steps[step].wait.computed ? clockSeconds(step, run) : null;
      if (seconds) wait.querySelector("[data-clock-length]").textContent = `: ${clockWords(seconds * 1000)}`;
      continue;
    }
    wait.querySelector("[data-left]").textContent = left > 0 ? clockWords(left) : "now";
    wait.querySelector("[data-left-words]").textContent = left > 0 ? ` ${given.steps[step].wait.what}` : ` ${given.steps[step].wait.what}: the time is up`;
    const tall = Math.max(0, Math.min(1, left / (clock.seconds * 1000))) * 84;
    wait.querySelector("[data-timer-water]").setAttribute("d", `M10 ${90 - tall}h24v${tall}h-24z`);
  }
}
