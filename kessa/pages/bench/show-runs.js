// The runs of a sample, each with what it came to.

import { plain } from "../base/numbers.js";
import { givesReading, isFinished } from "./run-state.js";

export const runName = (run) => (run.role === "blank" ? (run.number === 1 ? "blank" : `blank ${run.number}`) : `run ${run.number}`);

export function showRuns(bench) {
  const { now } = bench;
  const rows = [...now.blanks, ...now.samples];
  if (now.run && !rows.some((run) => run.name === now.run.name)) rows.push(now.run);
  const drawn = rows.map((run) => runRow(bench, run));
  const place = bench.one("[data-runs]");
  // What is as it was is not laid out anew: a tap is shown the sooner.
  for (const [index, row] of drawn.entries()) {
    if (!place.rows[index]) place.append(row);
    else if (!place.rows[index].isEqualNode(row)) place.rows[index].replaceWith(row);
  }
  while (place.rows.length > drawn.length) place.rows[place.rows.length - 1].remove();
}

function runRow(bench, run) {
  const row = document.createElement("tr");
  const [name, count, words] = [0, 1, 2].map(() => row.appendChild(document.createElement("td")));
  name.textContent = runName(run).replace(/^./, (letter) => letter.toUpperCase());
  count.className = "num";
  count.textContent = run.state.skipped ? "–" : isFinished(run.state) ? saidOf(bench, run) : `${saidOf(bench, run)} …`;
  words.textContent = runWords(bench, run);
  return row;
}

const saidOf = (bench, run) => {
  if (run.pair) return bench.determination.isStaged ? `${run.pair.first.count} + ${run.pair.second.count}` : `${run.pair.second.count} − ${run.pair.first.count}`;
  if (bench.given.kind !== "read" || run.role === "blank") return bench.determination.units(run.state.count);
  const read = Object.keys(run.state.readings).length;
  return bench.given.parts.length === 1 ? (read ? "read" : "") : `${read} of ${bench.given.parts.length} read`;
};

function runWords(bench, run) {
  const { now } = bench;
  const { state } = run;
  if (state.skipped) return "not run";
  if (state.voided) return bench.given.kind === "read" ? "void" : "void: too far";
  if (state.stopped) return "stopped";
  if (run.role === "blank") return state.endpoint === null ? "" : bench.determination.blankVerdict(state);
  const [part, ...others] = bench.given.parts;
  if (givesReading(state) && !others.length) {
    const found = bench.determination.comesTo(part, run, now.blanks);
    return found ? (found.words || `${found.censor}${plain(found.value)} ${part.sign}`) : "";
  }
  if (bench.given.kind !== "count") return "";
  const other = now.counted.find((each) => each.name !== run.name && each.state.endpoint);
  return other ? `agrees from ${bench.determination.agreeing(other).join(" to ")}` : "";
}
