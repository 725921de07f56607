// The clocks of the bench: of steps, of a colour that must last, between two units; and what of them stands on the shelf.

import { atMark, tell } from "../base/announcer.js";
import { showReadings } from "./reading.js";
import { hint } from "./hints.js";
import { stayAwake } from "./awake.js";
import { clockWords, putOnShelf } from "../base/shelf.js";
import { ring } from "../base/sound.js";

// `bench.shelved` is what stands on the shelf of it, `bench.ringing` the clock that rang last.
export function showClocks(bench) {
  const { now } = bench;
  const { run } = now;
  const running = now.closing ? [] : bench.determination.clocksOf(run, now.answers);
  stayAwake(bench.given.stream, running.length > 0);
  const kept = JSON.stringify(running);
  if (kept !== bench.shelved) {
    bench.shelved = kept;
    // What is only practised rings on its own page.
    if (!bench.given.world) putOnShelf(bench.given.stream, bench.given.place, bench.given.here, running).catch(() => {});
  }
  showSettling(bench);
  showStepClock(bench);
  if (bench.determination.isReading(run, now.answers)) showReadings(bench, bench.determination.partsOf(bench.determination.present(now)));
}

function showSettling(bench) {
  const { now } = bench;
  const clock = now.run?.state.clock;
  const left = clock ? Date.parse(clock.at) + clock.seconds * 1000 - Date.now() : null;
  const place = bench.one("[data-clock]");
  if (place) place.textContent = left === null ? "" : left > 0 ? ` ${clockWords(left)}` : " look now";
  if (left !== null && left <= 0 && bench.ringing !== clock.at) {
    bench.ringing = clock.at;
    hint(bench, "The wait is over: does the colour stay? Then call the end.");
  }
  const between = bench.one("[data-between-clock]");
  const last = bench.given.between_s && bench.determination.isCounting(now.run, now.answers) ? bench.determination.lastLive(now).drop : null;
  const rest = last ? Date.parse(last.at) + bench.given.between_s * 1000 - Date.now() : 0;
  if (between) between.textContent = rest > 0 ? `next in ${clockWords(rest)}` : "";
  if (last && rest <= 0 && rest > -1000 && bench.ringing !== last.id) {
    bench.ringing = last.id;
    ring();
    if (!bench.root.hidden) tell("clock between", `${bench.determination.units(bench.now.run.state.count)}: the next one now`);
  }
}

function tellMark(what, left, whole) {
  const mark = atMark(left, whole);
  return mark === "running" ? `${clockWords(whole)}: ${what}` : `${what}: ${mark}`;
}

function showStepClock(bench) {
  const { run } = bench.now;
  for (const wait of bench.all("[data-wait]")) {
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
      const seconds = run && bench.given.steps[step].wait.computed ? bench.determination.clockSeconds(step, run) : null;
      if (seconds) wait.querySelector("[data-clock-length]").textContent = `: ${clockWords(seconds * 1000)}`;
      continue;
    }
    const { what, rule } = bench.given.steps[step].wait;
    const exact = rule === "exact";
    wait.querySelector("[data-left]").textContent = left > 0 ? clockWords(left) : exact && left <= -1000 ? `${clockWords(-left)} over` : "now";
    wait.querySelector("[data-left-words]").textContent = left > 0 ? ` ${what}${exact ? ", then at once" : ""}` : ` ${what}: ${exact ? "go on at once" : "the time is up"}`;
    if (!bench.root.hidden && item.classList.contains("now")) tell("clock step", tellMark(what, left, clock.seconds * 1000));
    const tall = Math.max(0, Math.min(1, left / (clock.seconds * 1000))) * 84;
    wait.querySelector("[data-timer-water]").setAttribute("d", `M10 ${90 - tall}h24v${tall}h-24z`);
  }
}
