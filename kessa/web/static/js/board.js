// The board: all tests of a visit on one page. The one that wants the hands next is shown in full, any other at a tap on its name.

import { Bench } from "./bench.js";
import { showSaved, wire } from "./hands.js";
import { stateOf } from "./test-state.js";
import { speak } from "./voice.js";

const board = document.querySelector("[data-board]");
const said = board.querySelector("[data-board-said]");
const lanes = board.querySelector("[data-lanes]");
const chipOf = (bench) => board.querySelector(`[data-chip="${bench.given.stream}"]`);
const nameOf = (bench) => chipOf(bench)?.querySelector("b").textContent ?? bench.given.parts[0].parameter;

let order = []; // streams, in the order in which they are attended next, as last planned
let shown = null;
let shape = ""; // what the plan depends on, as it was when last asked for
let drawnAt = 0;

const benches = [...board.querySelectorAll("[data-stream]")].map((root) => new Bench(root, { onDrawn: drawn, onClosed: closed }));

// ---- which test is shown -------------------------------------------------------------------------------------------

function showTest(bench) {
  const changed = shown && shown !== bench;
  shown = bench;
  for (const each of benches) each.root.hidden = each !== bench;
  for (const each of benches) chipOf(each)?.setAttribute("aria-pressed", String(each === bench));
  if (!changed) return;
  window.scrollTo({ top: 0 });
  speak(nameOf(bench));
}

const place = (bench) => {
  const at = order.indexOf(bench.given.stream);
  return at < 0 ? benches.length + benches.indexOf(bench) : at;
};

// What may be gone on with now: what presses first, then as planned; a test that waits for its clock is not among it.
function nextTest() {
  const open = benches.filter((bench) => bench.now && !bench.done && !["waiting", "closing"].includes(stateOf(bench).kind));
  const pressing = (bench) => (stateOf(bench).kind === "due" ? 0 : stateOf(bench).kind === "between" ? 1 : 2);
  return open.sort((a, b) => pressing(a) - pressing(b) || place(a) - place(b))[0] ?? null;
}

// The hands are free where the test that is shown waits or is done; never in the middle of a count or a reading.
function bringForward() {
  const state = shown && stateOf(shown);
  const free = !shown || shown.done || ["waiting", "closing"].includes(state.kind);
  const next = nextTest();
  if (free && next && next !== shown) showTest(next);
  const due = benches.filter((bench) => bench !== shown && bench.now && stateOf(bench).kind === "due");
  const words = due.map((bench) => `${nameOf(bench)}: ${stateOf(bench).words}`).join(" · ");
  if (said.textContent === words) return;
  said.textContent = words;
  speak(words);
}

// A step is done: a test whose clock has rung comes forward before the next one is begun.
function stepDone(bench, before) {
  const after = bench.now.run && bench.standing.present(bench.now);
  const moved = before !== undefined && after !== before;
  const due = benches.find((each) => each !== bench && each.now && stateOf(each).kind === "due" && stateOf(each).presses);
  if (moved && due && stateOf(bench).kind === "doing" && !stateOf(bench).inHand) showTest(due);
}

// ---- drawing -------------------------------------------------------------------------------------------------------

function drawn(bench) {
  showSaved(benches);
  const before = bench.before;
  bench.before = bench.now.run ? bench.standing.present(bench.now) : null;
  showChip(bench);
  if (shown === bench && !bench.done) stepDone(bench, before);
  bringForward();
  plan();
}

function showChip(bench) {
  const chip = chipOf(bench);
  const state = stateOf(bench);
  if (!chip) return;
  const place = chip.querySelector("[data-chip-state]");
  if (place.textContent !== state.words) place.textContent = state.words;
  chip.className = `test-chip ${state.kind}`;
  chip.querySelector("[data-chip-until]")?.toggleAttribute("hidden", state.kind !== "fresh");
}

function closed(bench, page) {
  bench.done = bench.one("[data-outcome] .result")?.textContent.trim().replaceAll(/\s+/g, " ") || "done";
  bench.page = page;
  showChip(bench);
  shown = null;
  for (const each of benches) each.root.hidden = true;
  bringForward();
  board.querySelector("[data-all-done]").hidden = benches.some((each) => !each.done);
  if (!lanes) window.location.assign(page);
  plan();
}

// ---- the plan ------------------------------------------------------------------------------------------------------

// Planned anew where a step, a clock or a run has changed, by what the server has; without a signal the last plan stands.
function plan() {
  if (!lanes || benches.some((bench) => !bench.now || bench.keeper.waiting.size)) return;
  const now = JSON.stringify(benches.map((bench) => [bench.done, bench.before, Object.keys(bench.now.run?.state.clocks ?? {}).length, bench.now.samples.length, bench.now.counted.length]));
  if (now === shape) return;
  shape = now;
  askLanes();
}

async function askLanes() {
  try {
    const answer = await fetch(`${board.dataset.lanesAt}?width=${Math.floor(lanes.clientWidth - 32)}`, { credentials: "same-origin" });
    if (!answer.ok || answer.redirected) throw new Error(answer.statusText);
    const open = lanes.querySelector("details")?.open ?? false;
    lanes.innerHTML = await answer.text();
    lanes.querySelector("details").open = open;
    drawnAt = Date.now();
    const words = lanes.querySelector("[data-order]");
    order = words.dataset.order.split(" ").filter(Boolean);
    board.querySelector("[data-lanes-words]").replaceChildren(...words.cloneNode(true).childNodes);
    bringForward();
  } catch {
    shape = "";
  }
}

function moveNow() {
  const line = lanes?.querySelector("[data-now]");
  if (!line) return;
  line.dataset.x ??= line.getAttribute("transform").match(/[\d.]+/)[0];
  line.setAttribute("transform", `translate(${Number(line.dataset.x) + ((Date.now() - drawnAt) / 60000) * Number(line.dataset.minute)} 0)`);
}

// ---- hands ---------------------------------------------------------------------------------------------------------

board.addEventListener("click", (event) => {
  const chip = event.target.closest("[data-chip]");
  if (!chip) return;
  const bench = benches.find((each) => each.given.stream === chip.dataset.chip);
  if (bench.done) window.location.assign(bench.page);
  else showTest(bench);
});

wire(() => shown);
const asked = benches.find((bench) => `#${bench.given.stream}` === window.location.hash);
if (benches.length) showTest(asked ?? benches[0]);
for (const bench of benches) bench.start();
window.setInterval(() => {
  for (const bench of benches) if (bench.now) showChip(bench);
  bringForward();
  moveNow();
}, 500);
window.addEventListener("resize", () => {
  shape = "";
  plan();
});
