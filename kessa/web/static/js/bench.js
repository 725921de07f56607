// The bench: what the person taps becomes events; what the events amount to is shown. Results come from the server's rungs.

import { Keeper } from "./keeper.js";
import { emptyFields, showReadings, takeReading } from "./reading.js";
import { isFinished, liveEvents } from "./run-state.js";
import { clockWords, putOnShelf } from "./shelf.js";
import { readySound, ring, setting, tick } from "./sound.js";
import { blankVerdict, choices, clockSeconds, clocksOf, given, isCounting, isDifference, isReading, partsOf, presentStep, rungOf, stand, stepApplies, stepDone, units } from "./standing.js";

const one = (selector) => document.querySelector(selector);
const act = (name) => one(`[data-act=${name}]`);

let keeper;
let now; // where the determination stands: see stand()
let opened = null; // the run the person chose to begin, until its first event
let ringing = null;
let states = given.states; // by part, what the server says the runs amount to
let shelved = "";
let outcomeOf = given.taps.length; // of how many taps the outcome shown is

// ---- acts ---------------------------------------------------------------------------------------------------------

function tap(kind, data) {
  const { name } = now.run;
  keeper.add(name, kind, data);
  opened = null;
}

function say(words) {
  one("[data-said]").textContent = words;
}

// A hint stands until the run moves on: a reply of the server draws the page anew, and must not wipe it away.
let hinted = "";
const moment = () => JSON.stringify([now.run.name, { ...now.run.state, steps: now.run.state.steps.size }]);
const present = () => presentStep(now.run, now.answers);
function hint(words) {
  say(words);
  hinted = moment();
}

function lastLive() {
  let run = now.run ?? [...now.blanks, ...now.samples].at(-1);
  // Nothing tapped for the system yet: what is taken back is the supply's.
  if (run?.before?.events.length) run = run.before;
  const live = run ? liveEvents(run.events) : [];
  return { run, event: live.at(-1), drop: live.findLast((event) => event.kind === "drop_added") };
}

const acts = {
  drop() {
    if (now.run.state.count >= now.run.most) return hint("This is the most this range can count. Has it turned? If not, call it over the range.");
    tap("drop_added");
    tick();
  },
  over() {
    tap("end_called", { endpoint: false });
  },
  turn() {
    if (!now.run.state.count) return hint("Not yet: add a drop first. Coloured before the first drop? Empty, rinse and begin again.");
    if (now.run.state.first_change !== null) return hint(`Noted already: it began to turn at ${units(now.run.state.first_change)}.`);
    tap("began_to_turn");
  },
  end() {
    if (!now.run.state.count) return hint("An end needs a drop first. Coloured before the first drop? Empty, rinse and begin again.");
    tap("end_called", { endpoint: true });
  },
  void() {
    tap("voided");
  },
  back() {
    const { run, event, drop } = lastLive();
    const target = isFinished(run.state) || ["began_to_turn", "end_called"].includes(event?.kind) ? event : drop;
    if (!target) return hint("Nothing to take back.");
    keeper.add(run.name, "taken_back", { of: target.id });
  },
  next() {
    const step = present();
    if (step !== null && given.steps[step].kind === "do") tap("step_done", { step });
  },
  ready() {
    for (const step of upToNext()) tap("step_done", { step });
  },
  clock() {
    const step = present();
    const seconds = clockSeconds(step, now.run);
    if (seconds === null) return hint("The time follows from a reading before: take that first.");
    tap("timer_started", { seconds, step });
    readySound();
  },
  wait() {
    tap("timer_started", { seconds: given.settle_s });
    readySound();
  },
  answer(button) {
    const { ask } = button.closest("[data-ask]").dataset;
    const field = button.closest("[data-ask]").querySelector("input");
    if (field && (field.value === "" || !field.checkValidity())) return field.reportValidity() && field.focus();
    keeper.add("", "answered", { key: ask, value: field ? Number(field.value) : button.dataset.value });
  },
  read(button) {
    const reading = takeReading(button.dataset.of);
    if (reading) tap("reading_taken", { part: button.dataset.of, reading });
  },
  readOver(button) {
    tap("reading_taken", { part: button.dataset.of, reading: { over: true } });
  },
  unread() {
    const read = liveEvents(now.run.events).findLast((event) => event.kind === "reading_taken");
    if (read) tap("taken_back", { of: read.id });
  },
  stop() {
    tap("stopped");
  },
  skip() {
    tap("blank_skipped");
  },
  go() {
    begin(choices(now, states).go[1]);
  },
  other() {
    begin(choices(now, states).other[1]);
  },
  undo() {
    const { run, event } = lastLive();
    if (now.closing || !event) return;
    opened = null;
    keeper.add(run.name, "taken_back", { of: event.id });
  },
  keys() {
    one("[data-keys]").showModal();
  },
};

function begin(what) {
  if (what === "close") keeper.add("", "closed");
  else {
    opened = what;
    emptyFields();
  }
  show();
  window.scrollTo({ top: 0 });
}

// ---- sound, vibration, clock --------------------------------------------------------------------------------------

// The steps that are mere doing, from the present one to the next clock, question or reading.
function upToNext() {
  const steps = [];
  for (let step = present(); given.steps[step]?.kind === "do" && !given.steps[step].wait; step += 1) if (stepApplies(step, now.answers)) steps.push(step);
  return steps;
}

function showClocks() {
  if (!now) return;
  const { run } = now;
  const running = now.closing ? [] : clocksOf(run, now.answers);
  const kept = JSON.stringify(running);
  if (kept !== shelved) {
    shelved = kept;
    putOnShelf(given.stream, given.place, given.here, running).catch(() => {});
  }
  showSettling(run?.state.clock);
  showStepClock(run);
  if (isReading(run, now.answers)) showReadings(run, now.answers, partsOf(present()));
}

function showSettling(clock) {
  const left = clock ? Date.parse(clock.at) + clock.seconds * 1000 - Date.now() : null;
  const place = one("[data-clock]");
  if (place) place.textContent = left === null ? "" : left > 0 ? ` ${clockWords(left)}` : " look now";
  if (left !== null && left <= 0 && ringing !== clock.at) {
    ringing = clock.at;
    hint("The wait is over: does the colour stay? Then call the end.");
  }
  const between = one("[data-between-clock]");
  const last = given.between_s && isCounting(now.run, now.answers) ? lastLive().drop : null;
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

// ---- showing ------------------------------------------------------------------------------------------------------

function show() {
  now = stand([...keeper.taps.values()], opened);
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
  one("[data-bench]").classList.toggle("has-count", Boolean(run?.state.count) || counting);
  one("[data-between]").hidden = Boolean(run);
  one("[data-run-name]").textContent = run ? runName(run) : "between runs";
  showSteps(run);
  showRuns();
  if (!run) showBetween();
  else if (one("[data-count-sheet]")) showCount(run, counting);
  else showReadingSheet(run, reading);
  const skip = act("skip");
  skip.hidden = !(run?.role === "blank" && !isFinished(run.state));
  act("unread").hidden = !run || !Object.keys(run.state.readings).length || run.state.stopped;
  act("ready").hidden = !(run && setting("brief") && upToNext().length > 1);
  showSaved();
  showClocks();
}

const runName = (run) => (run.role === "blank" ? (run.number === 1 ? "blank" : `blank ${run.number}`) : `run ${run.number}`);

function showSteps(run) {
  const current = run ? present() : null;
  for (const item of document.querySelectorAll("li[data-step]")) {
    const step = Number(item.dataset.step);
    item.hidden = !stepApplies(step, now.answers);
    item.classList.toggle("now", step === current);
    item.classList.toggle("done", !run || stepDone(step, run, now.answers));
    if (step === current) {
      // A long list of steps is led along: the present one stays in view.
      if (!item.hasAttribute("aria-current")) item.scrollIntoView({ block: "nearest" });
      item.setAttribute("aria-current", "step");
    }
    else item.removeAttribute("aria-current");
  }
}

function showReadingSheet(run, reading) {
  one("[data-not-yet]").hidden = reading;
  showReadings(run, now.answers, reading ? partsOf(present()) : []);
  one("[data-so-far]")?.replaceChildren(...(one("[data-at-once]") ? [] : given.parts.filter((part) => run.state.readings[part.key]).map((part) => soFar(part, run.state.readings[part.key].raw))));
  act("stop").hidden = !(Object.keys(run.state.readings).length && run.state.missing.length);
  act("void").hidden = !run.events.length || isFinished(run.state);
}

function soFar(part, raw) {
  const line = document.createElement("li");
  const said = raw.display ?? raw.absorbance ?? raw.transmittance ?? "read";
  line.textContent = `${part.parameter.replace(/^./, (letter) => letter.toUpperCase())}: ${raw.over ? "over the range" : said}${raw.display === undefined ? "" : ` ${part.unit}`}${raw.sensor ? `, sensor ${raw.sensor}` : ""}${raw.temperature_c === undefined ? "" : `, ${raw.temperature_c} °C`}`;
  return line;
}

function showCount(run, counting) {
  const { state } = run;
  if (run.pair) showPair(run);
  const full = state.count >= run.most;
  one("[data-count]").textContent = state.count;
  one("[data-units]").textContent = `${given.unit_of_count}${state.count === 1 ? "" : "s"}`;
  const rung = run.role === "sample" && state.count && given.rungs.length ? rungOf(state, now.blanks) : null;
  const over = state.endpoint === false;
  if (one("[data-live]")) one("[data-live]").hidden = !rung || over;
  if (rung && one("[data-live]")) {
    one("[data-value]").textContent = `${rung.censor}${rung.value}`;
    one("[data-low]").textContent = rung.low;
    one("[data-high]").textContent = rung.high;
    const word = rung.verdict;
    const drawn = word && one("[data-verdicts]").content.querySelector(`[data-word="${word}"]`).cloneNode(true);
    one("[data-verdict]").replaceChildren(...(drawn ? [drawn] : []));
  }
  for (const name of ["drop", "turn", "end", "back", "void", "wait"]) if (act(name)) act(name).disabled = !counting;
  act("back").disabled = !(counting || state.endpoint !== null) || !run.events.length;
  act("drop").hidden = full;
  act("over").hidden = !full;
  act("over").disabled = !counting;
  one("[data-most]").textContent = run.most;
  showVessel(state);
  showLadder(run);
  if (hinted === moment()) return;
  if (state.endpoint !== null) say(over ? "No end: over the range. Finish the steps." : `End at ${units(state.count)}. Finish the steps.`);
  else if (full && counting) say(`${units(run.most)}: this is the maximum. It stays? Call the end. If not, it is over the range.`);
  else if (state.first_change !== null) say(`Began to turn at ${units(state.first_change)}.`);
  else if (!counting) say("The count begins when the steps before it are done.");
  else say("");
}

function showVessel(state) {
  const liquid = one("[data-vessel] .liquid");
  const { notYet, stays, tooFar } = liquid.dataset;
  const colour = state.voided ? tooFar : state.endpoint ? stays : notYet;
  liquid.setAttribute("fill", colour);
  one("[data-vessel]").classList.toggle("turning", state.first_change !== null && state.endpoint === null);
}

function showLadder(run) {
  one("[data-ladder-box]").hidden = run.role === "blank";
  const drawn = one("[data-ladder]");
  const { step, foot } = drawn.dataset;
  const height = step * run.state.count;
  one("[data-fill]").setAttribute("y", foot - height);
  one("[data-fill]").setAttribute("height", height);
  if (run.pair) return showWanted(run);
  const other = now.counted.findLast((each) => each.name !== run.name);
  one("[data-other]").toggleAttribute("hidden", !other);
  if (other) {
    const y = foot - step * other.state.count;
    one("[data-other]").setAttribute("transform", `translate(0 ${y})`);
    // Its name stands above its line, or below where "usual" is written already.
    const usual = Number(one("[data-usual-words]")?.getAttribute("y") ?? Infinity);
    one("[data-other-name]").setAttribute("y", usual > y - 19 && usual < y + 7 ? usual - y + 17 : -5);
    one("[data-other-name]").textContent = runName(other);
  }
}

function showPair(run) {
  const { supply, system } = run.pair;
  const onSystem = supply.endpoint !== null;
  one("[data-side]").textContent = onSystem ? "System water now" : "Supply water first";
  one("[data-drop-words]").textContent = `One ${given.unit_of_count}: ${onSystem ? "system" : "supply"}`;
  one("[data-supply]").textContent = supply.count;
  one("[data-system]").textContent = system.count;
  one("[data-difference]").textContent = onSystem && system.count ? system.count - supply.count : "–";
}

// The supply's count, and above it the stretch in which the system's should end.
function showWanted(run) {
  const { supply } = run.pair;
  const drawn = one("[data-ladder]");
  const { step, foot } = drawn.dataset;
  const band = one("[data-wanted]");
  const known = supply.endpoint !== null && given.wanted;
  band.toggleAttribute("hidden", !known);
  one("[data-other]").toggleAttribute("hidden", supply.endpoint === null);
  one("[data-other]").setAttribute("transform", `translate(0 ${foot - step * supply.count})`);
  one("[data-other-name]").textContent = "supply";
  if (!known) return;
  const [low, high] = [supply.count + (given.wanted.min ?? 0), Math.min(supply.count + (given.wanted.max ?? given.stop_at), given.stop_at)];
  band.firstElementChild.setAttribute("y", foot - step * high);
  band.firstElementChild.setAttribute("height", step * Math.max(high - low, 0.2));
  band.lastElementChild.setAttribute("y", foot - step * ((low + high) / 2) + 4);
}

function showRuns() {
  const rows = [...now.blanks, ...now.samples];
  if (now.run && !rows.some((run) => run.name === now.run.name)) rows.push(now.run);
  one("[data-runs]").replaceChildren(...rows.map(runRow));
}

function runRow(run) {
  const row = document.createElement("tr");
  const [name, count, words] = [0, 1, 2].map(() => row.appendChild(document.createElement("td")));
  name.textContent = runName(run).replace(/^./, (letter) => letter.toUpperCase());
  count.className = "num";
  count.textContent = run.state.skipped ? "–" : isFinished(run.state) ? saidOf(run) : `${saidOf(run)} …`;
  words.textContent = runWords(run);
  return row;
}

const saidOf = (run) => {
  if (run.pair) return `${run.pair.system.count} − ${run.pair.supply.count}`;
  if (given.kind !== "read" || run.role === "blank") return units(run.state.count);
  const read = Object.keys(run.state.readings).length;
  return given.parts.length === 1 ? (read ? "read" : "") : `${read} of ${given.parts.length} read`;
};

function runWords(run) {
  const { state } = run;
  if (state.skipped) return "not run";
  if (state.voided) return given.kind === "read" ? "void" : "void: too far";
  if (given.kind !== "count" && run.role !== "blank") return state.stopped ? "stopped" : "";
  if (run.role === "blank") return state.endpoint === null ? "" : blankVerdict(state);
  if (state.endpoint === false) return `over ${given.rungs.at(-1).value} ${given.unit}`;
  if (state.endpoint) {
    const { censor, value } = rungOf(state, now.blanks);
    return `${censor}${value} ${given.unit}`;
  }
  const other = now.counted.find((each) => each.name !== run.name && each.state.endpoint);
  return other ? `agrees from ${given.rungs[other.state.count - 1].agrees.join(" to ")}` : "";
}

function showBetween() {
  const chosen = now.closing
    ? { title: "Being written in the log", words: "It will stand there as soon as there is a signal. Your taps are kept in this browser: you may put the phone away.", go: null }
    : choices(now, states);
  one("[data-between-title]").textContent = chosen.title;
  one("[data-between-words]").textContent = chosen.words;
  const checks = one("[data-blank-checks]");
  if (checks) checks.hidden = !chosen.checks;
  one("[data-outcome]").hidden = !now.counted.length || keeper.waiting.size > 0;
  if (now.counted.length) askOutcome();
  act("go").hidden = !chosen.go;
  if (chosen.go) one("[data-go]").textContent = chosen.go[0];
  act("other").hidden = !chosen.other;
  if (chosen.other) one("[data-other-words]").textContent = chosen.other[0];
  act("undo").hidden = now.closing;
}

function showSaved() {
  const waiting = keeper.waiting.size;
  const place = one("[data-saved]");
  place.classList.toggle("waiting", waiting > 0);
  place.textContent = waiting ? `${waiting} tap${waiting === 1 ? "" : "s"} waiting` : "all readings saved";
}

function trouble(words) {
  const place = one("[data-trouble]");
  place.hidden = !words;
  place.textContent = words ?? "";
}

// What the runs come to is the server's to say: it is asked when it is shown, and when another tap has changed it.
async function askOutcome() {
  const known = keeper.server.size;
  if (known === outcomeOf || keeper.waiting.size) return;
  outcomeOf = known;
  try {
    const answer = await fetch(given.outcome, { credentials: "same-origin" });
    if (!answer.ok || answer.redirected) throw new Error(answer.statusText);
    one("[data-outcome]").innerHTML = await answer.text();
    const said = one("[data-states]").dataset.states.trim();
    states = Object.fromEntries(said ? said.split(";").map((each) => each.trim().split("=")) : []);
    show();
  } catch {
    outcomeOf = null;
  }
}

function closed(page) {
  Promise.all([forgetPage(), putOnShelf(given.stream, given.place, given.here, [])]).then(() => window.location.assign(page));
}

// A closed determination is the log's: this page need not open again without a signal.
async function forgetPage() {
  if ("caches" in window) await (await caches.open("kessa-pages")).delete(window.location.href);
}

// ---- fingers and keys ---------------------------------------------------------------------------------------------

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-act]");
  if (!button || button.disabled) return;
  // A finger or a mouse leaves no focus behind, so that the keys go on meaning what they say.
  if (event.detail) button.blur();
  acts[button.dataset.act](button);
});

// Of a strip's pads each tap is the reading: there is no time for a second one.
document.addEventListener("change", (event) => {
  const fieldset = event.target.closest("[data-at-once]");
  if (!fieldset || !event.target.matches("[data-choice]")) return;
  tap("reading_taken", { part: fieldset.dataset.part, reading: JSON.parse(event.target.value) });
});

for (const button of document.querySelectorAll("[data-toggle]")) {
  const name = button.dataset.toggle;
  button.setAttribute("aria-pressed", String(setting(name)));
  button.addEventListener("click", () => {
    localStorage.setItem(`kessa-${name}`, setting(name) ? "off" : "on");
    button.setAttribute("aria-pressed", String(setting(name)));
    tick();
    show();
  });
}

const KEYS = { " ": ["drop", "over"], Backspace: ["back", "unread", "undo"], t: ["turn"], Enter: ["end"], x: ["void"], n: ["next", "go"], w: ["clock", "wait"], k: ["read"], "?": ["keys"] };

document.addEventListener("keydown", (event) => {
  const names = KEYS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!now || !names || event.repeat || event.ctrlKey || event.metaKey || event.altKey || one("[data-keys]").open) return;
  // Space and enter belong to the control that has the focus, if it can be seen: a closed dialog's button may hold on to
  // the focus until the next frame.
  const focused = document.activeElement;
  const free = !focused || focused === document.body || focused.id === "main" || !focused.checkVisibility();
  if ((event.key === " " || event.key === "Enter") && !free) return;
  if (focused?.matches("input:not([type=radio], [type=range]), select, textarea") && event.key !== "Escape") return;
  const button = names.flatMap((name) => [...document.querySelectorAll(`[data-act=${name}]`)]).find((each) => !each.disabled && each.checkVisibility());
  if (!button) return;
  event.preventDefault();
  acts[button.dataset.act](button);
});

keeper = new Keeper({ ...given, onChange: show, onClosed: closed, onTrouble: trouble });
keeper.start();
window.setInterval(showClocks, 500);
