// The practice bench: the bench's own page, painted with what the made-up water shows.

import { Bench } from "../bench/bench.js";
import { showSaved, wire } from "../bench/keys.js";

const seen = document.querySelector("[data-seen]");
const things = [...seen.querySelectorAll("[data-shown]")];
// Since when each run is read without a clock of its own.
const opened = new Map();

function closed(_, page) {
  window.location.assign(page);
}

const bench = new Bench(document.querySelector("[data-stream]"), {
  onDrawn: () => {
    showSaved([bench.keeper]);
    paint();
  },
  onClosed: closed,
});

// A run beyond those that were made up looks like the last of them.
function made(kind, role, number) {
  const runs = bench.given.world[kind];
  for (let n = number; n > 0; n -= 1) if (runs[`${role}-${n}`]) return runs[`${role}-${n}`];
  return null;
}

function paint() {
  const { run } = bench.now;
  if (run && bench.determination.counted) paintVessel(run);
  if (run && !bench.determination.counted) paintShown(run);
  seen.hidden = !seen.querySelector("[data-light]") || !run || !bench.determination.isReading(run, bench.now.answers);
}

function paintVessel(run) {
  const onFirst = run.pair && run.pair.first.endpoint === null;
  const role = run.role === "blank" ? "blank" : onFirst ? bench.determination.firstRole : "sample";
  const colours = made("vessels", role, run.number);
  if (!colours) return;
  const before = run.pair && !onFirst && bench.given.world.together ? run.pair.first.count : 0;
  const added = run.pair ? (onFirst ? run.pair.first.count : run.pair.second.count) : run.state.count;
  bench.one("[data-vessel] .liquid").setAttribute("fill", colours[Math.min(before + added, colours.length - 1)]);
  bench.one("[data-vessel]").classList.remove("turning");
}

function secondsOf(run, part) {
  const reads = bench.given.steps.findIndex((step, number) => step.kind === "read" && bench.determination.partsOf(number).includes(part));
  const clocks = Object.entries(run.state.clocks).filter(([step]) => Number(step) < reads);
  const clock = clocks.at(-1)?.[1];
  if (!clock && !opened.has(run.name)) opened.set(run.name, Date.now());
  return (Date.now() - (clock ? Date.parse(clock.at) : opened.get(run.name))) / 1000;
}

const frameAt = (frames, seconds) => (frames.findLast(([at]) => at <= seconds) ?? frames[0])[1];

function paintShown(run) {
  if (!bench.determination.isReading(run, bench.now.answers)) return;
  const light = seen.querySelector("[data-light]:checked")?.value;
  const shows = made("shown", "sample", run.number);
  for (const thing of things) {
    const what = shows[thing.dataset.shown];
    const seconds = secondsOf(run, thing.dataset.shown);
    if (what.as === "colour") thing.querySelector("[data-colour]").setAttribute("fill", frameAt(what.lights[light], seconds));
    else if (what.as === "bottle") thing.querySelector("[data-colour]").setAttribute("fill", what.colour);
    else if (what.as === "display") thing.querySelector("[data-display]").value = frameAt(what.frames, seconds);
    else if (what.as === "words") thing.querySelector("[data-words]").textContent = what.words;
  }
}

// Going down the mark is lost a little later than it is found coming up.
function paintDepth(slider) {
  const thing = slider.closest("[data-shown]");
  const what = made("shown", "sample", bench.now.run?.number ?? 1)[thing.dataset.shown];
  const depth = Number(slider.value);
  const end = depth < Number(slider.dataset.before ?? 0) ? what.again : what.lost;
  slider.dataset.before = depth;
  thing.querySelector("[data-depth-shown]").value = depth;
  thing.querySelector("[data-mark]").setAttribute("opacity", depth >= end ? 0 : Math.max(1 - depth / end, 0.06));
}

// What is seen stands where it is read.
for (const thing of things) bench.one(`fieldset[data-part="${thing.dataset.shown}"] legend`).after(thing);
for (const each of seen.querySelectorAll("[data-light]")) each.addEventListener("input", paint);
for (const slider of document.querySelectorAll("[data-depth]")) slider.addEventListener("input", () => paintDepth(slider));
wire(() => bench);
bench.start();
window.setInterval(() => bench.now?.run && !bench.determination.counted && paintShown(bench.now.run), 250);
