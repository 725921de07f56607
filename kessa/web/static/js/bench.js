// The bench: what the person taps becomes events; what the events amount to is shown. Results come from the server's rungs.

import { Keeper } from "./keeper.js";
import { isFinished, liveEvents } from "./run-state.js";
import { blankVerdict, choices, given, isCounting, presentStep, stand, units } from "./standing.js";

const one = (selector) => document.querySelector(selector);
const act = (name) => one(`[data-act=${name}]`);
const setting = (name) => localStorage.getItem(`kessa-${name}`) === "on";

let keeper;
let now; // where the determination stands: see stand()
let opened = null; // the run the person chose to begin, until its first event
let ringing = null;
let audio = null;

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
function hint(words) {
  say(words);
  hinted = moment();
}

function lastLive() {
  const run = now.run ?? [...now.blanks, ...now.samples].at(-1);
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
    const target = isFinished(run.state) || event?.kind === "began_to_turn" ? event : drop;
    if (!target) return hint("Nothing to take back.");
    keeper.add(run.name, "taken_back", { of: target.id });
  },
  next() {
    const step = presentStep(now.run);
    if (step !== null && step !== given.count_step) tap("step_done", { step });
  },
  wait() {
    tap("timer_started", { seconds: given.settle_s });
    readySound();
  },
  skip() {
    tap("blank_skipped");
  },
  go() {
    begin(choices(now).go[1]);
  },
  other() {
    begin(choices(now).other[1]);
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
  else opened = what;
  show();
  window.scrollTo({ top: 0 });
}

// ---- sound, vibration, clock --------------------------------------------------------------------------------------

function readySound() {
  audio ??= new AudioContext();
}

function beep(hertz, seconds) {
  readySound();
  const tone = audio.createOscillator();
  const loud = audio.createGain();
  loud.gain.value = 0.15;
  tone.frequency.value = hertz;
  tone.connect(loud).connect(audio.destination);
  tone.start();
  tone.stop(audio.currentTime + seconds);
}

function tick() {
  if (setting("sound")) beep(880, 0.03);
  if (setting("vibration")) navigator.vibrate?.(15);
}

function showClock() {
  const clock = now?.run?.state.clock;
  const left = clock ? Math.ceil((Date.parse(clock.at) + clock.seconds * 1000 - Date.now()) / 1000) : null;
  const place = one("[data-clock]");
  if (place) place.textContent = left === null ? "" : left > 0 ? ` 0:${String(left).padStart(2, "0")}` : " look now";
  if (left !== null && left <= 0 && ringing !== clock.at) {
    ringing = clock.at;
    if (left > -5) {
      if (setting("sound")) beep(660, 0.4);
      if (setting("vibration")) navigator.vibrate?.([80, 60, 80]);
    }
    say("The wait is over: does the colour stay? Then call the end.");
  }
}

// ---- showing ------------------------------------------------------------------------------------------------------

function show() {
  now = stand([...keeper.events.values()], opened);
  const { run } = now;
  // Until the taps of before are read, the page takes none: nothing tapped may get lost.
  one("[data-bench]").inert = false;
  const counting = isCounting(run);
  one("[data-bench]").classList.toggle("is-blank", run?.role === "blank");
  one("[data-bench]").classList.toggle("is-counting", counting);
  one("[data-count-sheet]").hidden = !run;
  one("[data-bench]").classList.toggle("has-count", Boolean(run?.state.count) || counting);
  one("[data-between]").hidden = Boolean(run);
  one("[data-run-name]").textContent = run ? runName(run) : "between runs";
  showSteps(run);
  showRuns();
  if (run) showCount(run, counting);
  else showBetween();
  const skip = act("skip");
  skip.hidden = !(run?.role === "blank" && !isFinished(run.state));
  showSaved();
  showClock();
}

const runName = (run) => (run.role === "blank" ? (run.number === 1 ? "blank" : `blank ${run.number}`) : `run ${run.number}`);

function showSteps(run) {
  const present = run ? presentStep(run) : null;
  for (const item of document.querySelectorAll("[data-step]")) {
    const step = Number(item.dataset.step);
    const done = run && (step === given.count_step ? run.state.endpoint !== null : run.state.steps.has(step));
    item.classList.toggle("now", step === present);
    item.classList.toggle("done", Boolean(done) || !run);
    if (step === present) item.setAttribute("aria-current", "step");
    else item.removeAttribute("aria-current");
  }
}

function showCount(run, counting) {
  const { state } = run;
  const full = state.count >= run.most;
  one("[data-count]").textContent = state.count;
  one("[data-units]").textContent = `${given.unit_of_count}${state.count === 1 ? "" : "s"}`;
  const rung = run.role === "sample" && state.count ? given.rungs[state.count - 1] : null;
  const over = state.endpoint === false;
  one("[data-live]").hidden = !rung || over;
  if (rung) {
    const begun = (state.first_change ?? state.count) - 1;
    one("[data-value]").textContent = rung.value;
    one("[data-low]").textContent = rung.low[begun];
    one("[data-high]").textContent = rung.high;
    const word = rung.verdict[begun];
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
  count.textContent = run.state.skipped ? "–" : `${units(run.state.count)}${isFinished(run.state) ? "" : " …"}`;
  words.textContent = runWords(run);
  return row;
}

function runWords(run) {
  const { state } = run;
  if (state.skipped) return "not run";
  if (state.voided) return "void: too far";
  if (run.role === "blank") return state.endpoint === null ? "" : blankVerdict(state);
  if (state.endpoint === false) return `over ${given.rungs.at(-1).value} ${given.unit}`;
  if (state.endpoint) return `${given.rungs[state.count - 1].value} ${given.unit}`;
  const other = now.counted.find((each) => each.name !== run.name && each.state.endpoint);
  return other ? `agrees from ${given.rungs[other.state.count - 1].agrees.join(" to ")}` : "";
}

function showBetween() {
  const chosen = now.closing
    ? { title: "Being written in the log", words: "It will stand there as soon as there is a signal. Your taps are kept in this browser: you may put the phone away.", go: null }
    : choices(now);
  one("[data-between-title]").textContent = chosen.title;
  one("[data-between-words]").textContent = chosen.words;
  const checks = one("[data-blank-checks]");
  if (checks) checks.hidden = !chosen.checks;
  one("[data-outcome]").hidden = !now.counted.length || keeper.waiting.size > 0;
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

function reply(answer) {
  if (!answer.result) one("[data-outcome]").innerHTML = answer.outcome;
  else forgetPage().then(() => window.location.assign(answer.result));
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
  acts[button.dataset.act]();
});

for (const button of document.querySelectorAll("[data-toggle]")) {
  const name = button.dataset.toggle;
  button.setAttribute("aria-pressed", String(setting(name)));
  button.addEventListener("click", () => {
    localStorage.setItem(`kessa-${name}`, setting(name) ? "off" : "on");
    button.setAttribute("aria-pressed", String(setting(name)));
    tick();
  });
}

const KEYS = { " ": ["drop", "over"], Backspace: ["back", "undo"], t: ["turn"], Enter: ["end"], x: ["void"], n: ["next", "go"], w: ["wait"], "?": ["keys"] };

document.addEventListener("keydown", (event) => {
  const names = KEYS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!now || !names || event.repeat || event.ctrlKey || event.metaKey || event.altKey || one("[data-keys]").open) return;
  // Space and enter belong to the control that has the focus, if it can be seen: a closed dialog's button may hold on to
  // the focus until the next frame.
  const focused = document.activeElement;
  const free = !focused || focused === document.body || focused.id === "main" || !focused.checkVisibility();
  if ((event.key === " " || event.key === "Enter") && !free) return;
  const button = names.flatMap((name) => [...document.querySelectorAll(`[data-act=${name}]`)]).find((each) => !each.disabled && each.checkVisibility());
  if (!button) return;
  event.preventDefault();
  acts[button.dataset.act]();
});

keeper = new Keeper({ ...given, onChange: show, onReply: reply, onTrouble: trouble });
keeper.start();
window.setInterval(showClock, 500);
