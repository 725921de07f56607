// The count: number, worth, vessel and ladder; of a difference both counts.

import { verdictOn, writtenAs } from "./calculation.js";
import { deserved } from "../base/numbers.js";
import { isHinted, say } from "./hints.js";
import { drawnVerdict } from "./show-outcome.js";
import { runName } from "./show-runs.js";

export function showCount(bench, counting) {
  const { now } = bench;
  const { run } = now;
  const { state } = run;
  if (run.pair) showPair(bench);
  const full = state.count >= run.most;
  bench.one("[data-count]").textContent = state.count;
  bench.one("[data-units]").textContent = `${bench.given.unit_of_count}${state.count === 1 ? "" : "s"}`;
  const [main] = bench.given.parts;
  const rung = run.role === "sample" && (state.count || state.endpoint) && bench.one("[data-live]") ? bench.determination.countComesTo(main, { ...state, endpoint: true }, now.blanks) : null;
  const over = state.endpoint === false;
  if (bench.one("[data-live]")) bench.one("[data-live]").hidden = !rung || over;
  if (rung) {
    const write = deserved(rung.low, rung.high);
    bench.one("[data-worth]").textContent = `${rung.censor}${write(rung.value)}`;
    bench.one("[data-low]").textContent = write(rung.low);
    bench.one("[data-high]").textContent = write(rung.high);
    bench.one("[data-verdict]").replaceChildren(...drawnVerdict(bench, verdictOn(main, writtenAs(main, rung))));
  }
  for (const name of ["drop", "turn", "end", "back", "void", "wait"]) if (bench.act(name)) bench.act(name).disabled = !counting;
  bench.act("back").disabled = !(counting || state.endpoint !== null) || !run.events.length;
  bench.act("drop").hidden = full;
  bench.act("over").hidden = !full;
  bench.one("[data-end-words]").textContent = state.count ? "It stays: end" : "Turned already: none";
  bench.act("over").disabled = !counting;
  bench.one("[data-most]").textContent = run.most;
  showVessel(bench);
  showLadder(bench);
  if (isHinted(bench)) return;
  if (state.endpoint && !state.count) say(bench, `It had turned before the first ${bench.given.unit_of_count}: less than one. A dirty vessel does that too; not expected? Void it, rinse, run again.`);
  else if (state.endpoint !== null) say(bench, over ? "No end: over the range. Finish the steps." : `End at ${bench.determination.units(state.count)}. Finish the steps.`);
  else if (full && counting) say(bench, `${bench.determination.units(run.most)}: this is the maximum. It stays? Call the end. If not, it is over the range.`);
  else if (state.first_change !== null) say(bench, `Began to turn at ${bench.determination.units(state.first_change)}.`);
  else if (!counting) say(bench, "The count begins when the steps before it are done.");
  else say(bench, "");
}

function showVessel(bench) {
  const { state, pair } = bench.now.run;
  const liquid = bench.one("[data-vessel] .liquid");
  const cards = [...bench.all(".look-for")];
  const present = bench.determination.isStaged && pair && pair.first.endpoint !== null ? 1 : 0;
  for (const [number, card] of cards.entries()) card.hidden = number !== present;
  const { notYet, stays, tooFar } = cards[present].dataset;
  const colour = state.voided ? tooFar : state.endpoint ? stays : notYet;
  liquid.setAttribute("fill", colour);
  bench.one("[data-vessel]").classList.toggle("turning", state.first_change !== null && state.endpoint === null);
}

function showLadder(bench) {
  const { now } = bench;
  const { run } = now;
  bench.one("[data-ladder-box]").hidden = run.role === "blank";
  const drawn = bench.one("[data-ladder]");
  const { step, foot } = drawn.dataset;
  const height = step * run.state.count;
  bench.one("[data-fill]").setAttribute("y", foot - height);
  bench.one("[data-fill]").setAttribute("height", height);
  if (run.pair) return showWanted(bench);
  const other = now.counted.findLast((each) => each.name !== run.name);
  bench.one("[data-other]").toggleAttribute("hidden", !other);
  if (other) {
    const y = foot - step * other.state.count;
    bench.one("[data-other]").setAttribute("transform", `translate(0 ${y})`);
    // Its name stands above its line, or below where "usual" is written already.
    const usual = Number(bench.one("[data-usual-words]")?.getAttribute("y") ?? Infinity);
    bench.one("[data-other-name]").setAttribute("y", usual > y - 19 && usual < y + 12 ? usual - y + 17 : -5);
    bench.one("[data-other-name]").textContent = runName(other);
  }
}

function showPair(bench) {
  const { run } = bench.now;
  const { first, second } = run.pair;
  const onSecond = first.endpoint !== null;
  if (bench.determination.isStaged) return showStages(bench, first, second, onSecond);
  bench.one("[data-side]").textContent = onSecond ? "System water now" : "Supply water first";
  bench.one("[data-drop-words]").textContent = `One ${bench.given.unit_of_count}: ${onSecond ? "system" : "supply"}`;
  bench.one("[data-first]").textContent = first.count;
  bench.one("[data-second]").textContent = second.count;
  bench.one("[data-difference]").textContent = onSecond && second.count ? second.count - first.count : "–";
}

function showStages(bench, first, second, onSecond) {
  bench.one("[data-side]").textContent = onSecond ? "Second stage" : "First stage";
  const counts = { first: first.count, further: second.count, all: first.count + second.count };
  bench.one("[data-stages]").textContent = bench.given.parts.map((part) => `${part.parameter} ${part.counts === "first" || onSecond ? bench.determination.units(counts[part.counts]) : "–"}`).join(", ");
}

// The supply's count, and above it the stretch in which the system's should end.
function showWanted(bench) {
  const { run } = bench.now;
  const supply = run.pair.first;
  const drawn = bench.one("[data-ladder]");
  const { step, foot } = drawn.dataset;
  const band = bench.one("[data-wanted]");
  const known = supply.endpoint !== null && bench.given.wanted;
  band.toggleAttribute("hidden", !known);
  bench.one("[data-other]").toggleAttribute("hidden", supply.endpoint === null);
  bench.one("[data-other]").setAttribute("transform", `translate(0 ${foot - step * supply.count})`);
  bench.one("[data-other-name]").textContent = bench.determination.isStaged ? "first" : "supply";
  if (!known) return;
  const [low, high] = [supply.count + (bench.given.wanted.min ?? 0), Math.min(supply.count + (bench.given.wanted.max ?? bench.given.stop_at), bench.given.stop_at)];
  band.firstElementChild.setAttribute("y", foot - step * high);
  band.firstElementChild.setAttribute("height", step * Math.max(high - low, 0.2));
  band.lastElementChild.setAttribute("y", foot - step * ((low + high) / 2) + 4);
}
