// The runs of a sample, each with what it came to.

import { one } from "./dom.js";
import { isFinished } from "./run-state.js";
import { agreeing, blankVerdict, given, isStaged, rungOf, units } from "./standing.js";

export const runName = (run) => (run.role === "blank" ? (run.number === 1 ? "blank" : `blank ${run.number}`) : `run ${run.number}`);

export function showRuns(now) {
  const rows = [...now.blanks, ...now.samples];
  if (now.run && !rows.some((run) => run.name === now.run.name)) rows.push(now.run);
  const drawn = rows.map((run) => runRow(run, now));
  const place = one("[data-runs]");
  // What is as it was is not laid out anew: a tap is shown the sooner.
  for (const [index, row] of drawn.entries()) {
    if (!place.rows[index]) place.append(row);
    else if (!place.rows[index].isEqualNode(row)) place.rows[index].replaceWith(row);
  }
  while (place.rows.length > drawn.length) place.rows[place.rows.length - 1].remove();
}

function runRow(run, now) {
  const row = document.createElement("tr");
  const [name, count, words] = [0, 1, 2].map(() => row.appendChild(document.createElement("td")));
  name.textContent = runName(run).replace(/^./, (letter) => letter.toUpperCase());
  count.className = "num";
  count.textContent = run.state.skipped ? "–" : isFinished(run.state) ? saidOf(run) : `${saidOf(run)} …`;
  words.textContent = runWords(run, now);
  return row;
}

const saidOf = (run) => {
  if (run.pair) return isStaged ? `${run.pair.first.count} + ${run.pair.second.count}` : `${run.pair.second.count} − ${run.pair.first.count}`;
  if (given.kind !== "read" || run.role === "blank") return units(run.state.count);
  const read = Object.keys(run.state.readings).length;
  return given.parts.length === 1 ? (read ? "read" : "") : `${read} of ${given.parts.length} read`;
};

function runWords(run, now) {
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
  return other ? `agrees from ${agreeing(other).join(" to ")}` : "";
}
