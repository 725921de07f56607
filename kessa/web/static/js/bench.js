// The bench: what the person taps becomes events; what the events amount to is shown. Results come from the server's rungs.

import { one } from "./dom.js";
import { Keeper } from "./keeper.js";
import { emptyFields, takeReading } from "./reading.js";
import { isFinished, liveEvents } from "./run-state.js";
import { hint as hintOf } from "./said.js";
import { putOnShelf } from "./shelf.js";
import { show } from "./show.js";
import { showClocks } from "./show-clocks.js";
import { readySound, setting, tick } from "./sound.js";
import { choices, clockSeconds, given, lastLive, present, stand, units, upToNext } from "./standing.js";

let keeper;
let now; // where the determination stands: see stand()
let opened = null; // the run the person chose to begin, until its first event
let states = given.states; // by part, what the server says the runs amount to
let outcomeOf = given.taps.length; // of how many taps the outcome shown is

// ---- acts ---------------------------------------------------------------------------------------------------------

const hint = (words) => hintOf(now.run, words);

function draw() {
  now = { ...stand([...keeper.taps.values()], opened), states, waiting: keeper.waiting.size };
  show(now);
  if (!now.run && now.counted.length) askOutcome();
}

function tap(kind, data) {
  const { name } = now.run;
  keeper.add(name, kind, data);
  opened = null;
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
    if (!now.run.state.count) return hint("Not yet: it begins to turn with a drop. Has it turned already? Then the end is at none.");
    if (now.run.state.first_change !== null) return hint(`Noted already: it began to turn at ${units(now.run.state.first_change)}.`);
    tap("began_to_turn");
  },
  end() {
    tap("end_called", { endpoint: true });
  },
  void() {
    tap("voided");
  },
  back() {
    const { run, event, drop } = lastLive(now);
    const target = isFinished(run.state) || ["began_to_turn", "end_called"].includes(event?.kind) ? event : drop;
    if (!target) return hint("Nothing to take back.");
    keeper.add(run.name, "taken_back", { of: target.id });
  },
  next() {
    const step = present(now);
    if (step !== null && given.steps[step].kind === "do") tap("step_done", { step });
  },
  ready() {
    for (const step of upToNext(now)) tap("step_done", { step });
  },
  clock() {
    const step = present(now);
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
    const field = button.dataset.value === undefined ? button.closest("[data-ask]").querySelector("input") : null;
    if (field && (field.value === "" || !field.checkValidity())) return field.reportValidity() && field.focus();
    button.closest("li").classList.remove("again");
    document.activeElement.blur();
    keeper.add("", "answered", { key: ask, value: field ? Number(field.value) : button.dataset.value });
  },
  again(button) {
    button.closest("li").classList.add("again");
    button.closest("li").querySelector("[data-ask] input, [data-ask] button").focus();
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
    const { run, event } = lastLive(now);
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
  draw();
  window.scrollTo({ top: 0 });
}

// ---- what came of it ----------------------------------------------------------------------------------------------

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
    draw();
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
    draw();
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
  const asked = document.querySelector("li.now [data-ask]");
  if (event.key === "Enter" && focused?.matches("li.now [data-ask] input")) acts.answer(asked.querySelector("[data-act=answer]"));
  if ((event.key === " " || event.key === "Enter") && !free) return;
  if (focused?.matches("input:not([type=radio], [type=range]), select, textarea") && event.key !== "Escape") return;
  if (event.key === "n" && asked) {
    event.preventDefault();
    return asked.querySelector("input, button").focus();
  }
  const button = names.flatMap((name) => [...document.querySelectorAll(`[data-act=${name}]`)]).find((each) => !each.disabled && each.checkVisibility());
  if (!button) return;
  event.preventDefault();
  acts[button.dataset.act](button);
});

keeper = new Keeper({ ...given, onChange: draw, onClosed: closed, onTrouble: trouble });
keeper.start();
window.setInterval(() => now && showClocks(now), 500);
