// What the bench shows, all of it from where the test stands.

import { act, one } from "./dom.js";
import { isFinished } from "./run-state.js";
import { showClocks } from "./show-clocks.js";
import { showCount } from "./show-count.js";
import { runName, showRuns } from "./show-runs.js";
import { showReadingSheet, showSteps } from "./show-steps.js";
import { setting } from "./sound.js";
import { choices, isCounting, isReading, upToNext } from "./standing.js";

// Draw where a test stands: see stand(); `states` is what the server says the runs amount to, `waiting` how many taps wait.
export function show(now) {
  const { run } = now;
  const reading = isReading(run, now.answers);
  // Until the taps of before are read, the page takes none: nothing tapped may get lost.
  one("[data-bench]").inert = false;
  const counting = isCounting(run, now.answers);
  one("[data-bench]").classList.toggle("is-blank", run?.role === "blank");
  one("[data-bench]").classList.toggle("is-reading", reading);
  one("[data-bench]").classList.toggle("brief", setting("brief"));
  one("[data-bench]").classList.toggle("is-counting", counting);
  for (const sheet of document.querySelectorAll("[data-count-sheet], [data-reading-sheet]")) sheet.hidden = !run;
  one("[data-bench]").classList.toggle("has-count", Boolean(run?.state.count || run?.state.endpoint) || counting);
  one("[data-between]").hidden = Boolean(run);
  one("[data-run-name]").textContent = run ? runName(run) : "between runs";
  showSteps(now);
  showRuns(now);
  if (!run) showBetween(now);
  else if (one("[data-count-sheet]")) showCount(now, counting);
  else showReadingSheet(now, reading);
  const skip = act("skip");
  skip.hidden = !(run?.role === "blank" && !isFinished(run.state));
  act("unread").hidden = !run || !Object.keys(run.state.readings).length || run.state.stopped;
  act("ready").hidden = !(run && setting("brief") && upToNext(now).length > 1);
  showSaved(now.waiting);
  showClocks(now);
}

function showBetween(now) {
  const chosen = now.closing
    ? { title: "Being written in the log", words: "It will stand there as soon as there is a signal. Your taps are kept in this browser: you may put the phone away.", go: null }
    : choices(now, now.states);
  one("[data-between-title]").textContent = chosen.title;
  one("[data-between-words]").textContent = chosen.words;
  const checks = one("[data-blank-checks]");
  if (checks) checks.hidden = !chosen.checks;
  one("[data-outcome]").hidden = !now.counted.length || now.waiting > 0;
  act("go").hidden = !chosen.go;
  if (chosen.go) one("[data-go]").textContent = chosen.go[0];
  act("other").hidden = !chosen.other;
  if (chosen.other) one("[data-other-words]").textContent = chosen.other[0];
  act("undo").hidden = now.closing;
}

function showSaved(waiting) {
  const place = one("[data-saved]");
  place.classList.toggle("waiting", waiting > 0);
  place.textContent = waiting ? `${waiting} tap${waiting === 1 ? "" : "s"} waiting` : "all readings saved";
}
