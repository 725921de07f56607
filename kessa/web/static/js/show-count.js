// The count: number, worth, vessel and ladder; of a difference both counts.

import { act, one } from "./dom.js";
import { isHinted, say } from "./said.js";
import { runName } from "./show-runs.js";
import { given, isStaged, rungOf, units } from "./standing.js";

export function showCount(now, counting) {
  const { run } = now;
  const { state } = run;
  if (run.pair) showPair(run);
  const full = state.count >= run.most;
  one("[data-count]").textContent = state.count;
  one("[data-units]").textContent = `${given.unit_of_count}${state.count === 1 ? "" : "s"}`;
  const rung = run.role === "sample" && (state.count || state.endpoint) && given.rungs.length ? rungOf(state, now.blanks) : null;
  const over = state.endpoint === false;
  if (one("[data-live]")) one("[data-live]").hidden = !rung || over;
  if (rung && one("[data-live]")) {
    one("[data-worth]").textContent = `${rung.censor}${rung.value}`;
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
  one("[data-end-words]").textContent = state.count ? "It stays: end" : "Turned already: none";
  act("over").disabled = !counting;
  one("[data-most]").textContent = run.most;
  showVessel(run);
  showLadder(now);
  if (isHinted(run)) return;
  if (state.endpoint && !state.count) say(`It had turned before the first ${given.unit_of_count}: less than one. A dirty vessel does that too; not expected? Void it, rinse, run again.`);
  else if (state.endpoint !== null) say(over ? "No end: over the range. Finish the steps." : `End at ${units(state.count)}. Finish the steps.`);
  else if (full && counting) say(`${units(run.most)}: this is the maximum. It stays? Call the end. If not, it is over the range.`);
  else if (state.first_change !== null) say(`Began to turn at ${units(state.first_change)}.`);
  else if (!counting) say("The count begins when the steps before it are done.");
  else say("");
}

function showVessel({ state, pair }) {
  const liquid = one("[data-vessel] .liquid");
  const cards = [...document.querySelectorAll(".look-for")];
  const present = isStaged && pair && pair.first.endpoint !== null ? 1 : 0;
  for (const [number, card] of cards.entries()) card.hidden = number !== present;
  const { notYet, stays, tooFar } = cards[present].dataset;
  const colour = state.voided ? tooFar : state.endpoint ? stays : notYet;
  liquid.setAttribute("fill", colour);
  one("[data-vessel]").classList.toggle("turning", state.first_change !== null && state.endpoint === null);
}

function showLadder(now) {
  const { run } = now;
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
    one("[data-other-name]").setAttribute("y", usual > y - 19 && usual < y + 12 ? usual - y + 17 : -5);
    one("[data-other-name]").textContent = runName(other);
  }
}

function showPair(run) {
  const { first, second } = run.pair;
  const onSecond = first.endpoint !== null;
  if (isStaged) return showStages(first, second, onSecond);
  one("[data-side]").textContent = onSecond ? "System water now" : "Supply water first";
  one("[data-drop-words]").textContent = `One ${given.unit_of_count}: ${onSecond ? "system" : "supply"}`;
  one("[data-first]").textContent = first.count;
  one("[data-second]").textContent = second.count;
  one("[data-difference]").textContent = onSecond && second.count ? second.count - first.count : "–";
}

function showStages(first, second, onSecond) {
  one("[data-side]").textContent = onSecond ? "Second stage" : "First stage";
  const counts = { first: first.count, further: second.count, all: first.count + second.count };
  one("[data-stages]").textContent = given.parts.map((part) => `${part.parameter} ${part.counts === "first" || onSecond ? units(counts[part.counts]) : "–"}`).join(", ");
}

// The supply's count, and above it the stretch in which the system's should end.
function showWanted(run) {
  const supply = run.pair.first;
  const drawn = one("[data-ladder]");
  const { step, foot } = drawn.dataset;
  const band = one("[data-wanted]");
  const known = supply.endpoint !== null && given.wanted;
  band.toggleAttribute("hidden", !known);
  one("[data-other]").toggleAttribute("hidden", supply.endpoint === null);
  one("[data-other]").setAttribute("transform", `translate(0 ${foot - step * supply.count})`);
  one("[data-other-name]").textContent = isStaged ? "first" : "supply";
  if (!known) return;
  const [low, high] = [supply.count + (given.wanted.min ?? 0), Math.min(supply.count + (given.wanted.max ?? given.stop_at), given.stop_at)];
  band.firstElementChild.setAttribute("y", foot - step * high);
  band.firstElementChild.setAttribute("height", step * Math.max(high - low, 0.2));
  band.lastElementChild.setAttribute("y", foot - step * ((low + high) / 2) + 4);
}
