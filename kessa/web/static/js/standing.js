// Where a determination stands by its events, and what may be done next. Rules come with the page; results do not.

import { deriveRun, givesReading, isFinished, liveEvents } from "./run-state.js";

export const given = JSON.parse(document.getElementById("bench-payload").textContent);
export const units = (count) => `${count} ${given.unit_of_count}${count === 1 ? "" : "s"}`;

export function stand(events, opened) {
  const byRun = new Map();
  for (const event of events) {
    if (!event.run) continue;
    if (!byRun.has(event.run)) byRun.set(event.run, []);
    byRun.get(event.run).push(event);
  }
  const runs = (role, most) =>
    [...byRun.keys()]
      .filter((name) => name.startsWith(role))
      .map((name) => ({ name, role, number: Number(name.split("-")[1]), most, events: byRun.get(name) }))
      .map((run) => ({ ...run, state: deriveRun(run.events, run.most) }))
      .sort((a, b) => a.number - b.number);
  const blanks = given.blank ? runs("blank", given.blank.stop_at) : [];
  const samples = runs("sample", given.stop_at);
  const counted = samples.filter((run) => givesReading(run.state));
  return { blanks, samples, counted, run: presentRun(blanks, samples, opened), closing: isClosing(events) };
}

function isClosing(events) {
  const whole = liveEvents(events.filter((event) => !event.run));
  return whole.at(-1)?.kind === "closed";
}

function emptyRun(role, number) {
  const most = role === "blank" ? given.blank.stop_at : given.stop_at;
  return { name: `${role}-${number}`, role, number, most, events: [], state: deriveRun([], most) };
}

function presentRun(blanks, samples, opened) {
  const last = [...blanks, ...samples].at(-1);
  if (last && !opened && (!isFinished(last.state) || stepsLeft(last))) return last;
  if (opened) {
    const [role, number] = opened.split("-");
    return [...blanks, ...samples].find((run) => run.name === opened) ?? emptyRun(role, Number(number));
  }
  if (!blanks.length && !samples.length) return emptyRun(given.blank ? "blank" : "sample", 1);
  return null;
}

// After the end, the steps that remain (rinsing, waste) are still to be done; a void or skipped run has none.
function stepsLeft(run) {
  if (run.state.voided || run.state.skipped) return false;
  return presentStep(run) !== null;
}

export function presentStep(run) {
  const from = run.state.endpoint === null ? 0 : given.count_step + 1;
  for (let step = from; step < given.steps; step += 1) if (step === given.count_step || !run.state.steps.has(step)) return step;
  return null;
}

export const isCounting = (run) => Boolean(run) && !isFinished(run.state) && presentStep(run) === given.count_step;

export function blankVerdict(state) {
  if (!state.endpoint || state.count > given.blank.questionable) return "bad";
  return state.count <= given.blank.good ? "good" : "questionable";
}

const agree = (a, b) => given.rungs[a.state.count - 1].agrees[0] <= b.state.count && b.state.count <= given.rungs[a.state.count - 1].agrees[1];

function agreement(counted) {
  if (counted.some((run) => run.state.endpoint === false)) return "over";
  for (let first = 0; first < counted.length; first += 1)
    for (let second = first + 1; second < counted.length; second += 1) if (agree(counted[first], counted[second])) return "agreed";
  return counted.length < given.most_runs ? "again" : "not agreed";
}

export function choices(now) {
  const nextSample = `sample-${(now.samples.at(-1)?.number ?? 0) + 1}`;
  const beginWords = now.counted.length ? `Begin run ${nextSample.split("-")[1]}` : "Begin the first run";
  if (!now.samples.length && now.blanks.length) {
    const last = now.blanks.at(-1);
    if (last.state.skipped) return { title: "No blank", words: "The result will say that no blank was run.", go: [beginWords, nextSample] };
    if (last.state.voided) return { title: "The blank is void", words: "It is kept, and not counted.", go: ["Repeat the blank", `blank-${last.number + 1}`], other: ["Go on without a blank", nextSample] };
    const verdict = blankVerdict(last.state);
    const title = `The blank took ${units(last.state.count)}${last.state.endpoint ? "" : " without turning"}: ${verdict}`;
    if (verdict === "good") return { title, words: "Water, glass and reagents are in order.", go: [beginWords, nextSample] };
    const words = `${verdict === "bad" ? "Something brings chloride in." : "It should turn at the first drop."} Check, and repeat the blank. If you go on, the warning stays with the result.`;
    return { title, words, checks: true, go: ["Repeat the blank", `blank-${last.number + 1}`], other: ["Go on with the warning", nextSample] };
  }
  if (!now.counted.length) return { title: "This run is void", words: "It is kept, and not counted.", go: [beginWords, nextSample] };
  const state = agreement(now.counted);
  const write = ["Write it in the log", "close"];
  const again = [beginWords, nextSample];
  if (state === "over") return { title: "Over the range", words: `No end within ${units(given.stop_at)}: the result is a floor. Write it down, then go on in the next range with the same sample.`, go: write };
  if (state === "agreed") return { title: "The runs agree", words: "", go: write, other: again };
  if (state === "not agreed") return { title: "The runs do not agree", words: "The result is kept, and marked.", go: write, other: again };
  const words = now.counted.length === 1 ? "A second run shows whether the first can be trusted." : "They differ too much: a third run decides, the closest two count.";
  const title = now.counted.length === 1 ? `Run ${now.counted[0].number}: ${units(now.counted[0].state.count)}` : "The runs do not agree yet";
  return { title, words, go: again, other: [now.counted.length === 1 ? "Write it with one run only" : "Write it as it is", "close"] };
}
