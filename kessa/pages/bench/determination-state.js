// Where a determination stands by its events, and what may be done next. Rules come with the page; results do not.

import { comesTo, concluded, countComesTo, stepsOn, verdictOn, writtenAs } from "./calculation.js";
import { parted } from "./parted.js";
import { deriveLive, deriveRun, givesReading, inOrder, isFinished, liveEvents } from "./run-state.js";

function inRuns(events) {
  const byRun = new Map();
  for (const event of events) {
    if (!event.run) continue;
    if (!byRun.has(event.run)) byRun.set(event.run, []);
    byRun.get(event.run).push(event);
  }
  return byRun;
}

const isClosing = (live) => live.findLast((event) => !event.run && event.kind !== "answered")?.kind === "closed";
const later = (at, seconds) => Date.parse(at) + seconds * 1000;
// Nothing is asked of the water of a blank, and nothing done to it that hangs on an answer.
const ofSample = (step) => Boolean(step.ask) || Object.keys(step.when ?? {}).length > 0;

// A run that has no taps yet: they will bear its own name.
const named = (role, number) => ({ name: `${role}-${number}`, source: `${role}-${number}`, role, number });

function inOneWord(states, runs) {
  if (!states.length) return runs === 1 ? "again" : null;
  if (states.includes("over range")) return "over";
  if (states.includes("run again")) return "again";
  return states.some((state) => ["not agreed", "cannot be compared"].includes(state)) ? "not agreed" : "agreed";
}

// One test's method and rules, as they came with the page; what has happened is handed over each time.
export class DeterminationState {
  constructor(given) {
    this.given = given;
    // Two counts make a run: supply then system water, or two stages in one vessel.
    this.isStaged = given.kind === "staged";
    this.isPair = this.isStaged || given.kind === "difference";
    this.firstRole = this.isStaged ? "first" : "supply";
    this.counted = given.kind !== "read";
    this.parts = this.counted ? [] : given.parts.map((part) => part.key);
    this.inputStep = this.counted ? "count" : "read";
    this.firstCount = given.steps.findIndex((step) => step.kind === "count");
  }

  units(count) {
    return `${count} ${this.given.unit_of_count}${count === 1 ? "" : "s"}`;
  }

  partsOf(step) {
    return this.given.steps[step].parts?.length ? this.given.steps[step].parts : this.parts;
  }

  after(events, opened) {
    const live = liveEvents(events);
    const answers = {};
    for (const event of live) if (event.kind === "answered") answers[event.data.key] = event.data.value;
    const byRun = parted(inRuns(events));
    const lives = new Set(live);
    const runs = (role, most) =>
      [...byRun.keys()]
        .filter((name) => name.startsWith(role))
        .map((name) => ({ name, role, number: Number(name.split("-")[1]), most, ...byRun.get(name) }))
        .map((run) => ({ ...run, state: deriveLive(inOrder(run.events.filter((event) => lives.has(event))), run.most, role === "blank" ? [] : this.parts) }))
        .sort((a, b) => a.number - b.number);
    const blanks = this.given.blank ? runs("blank", this.given.blank.stop_at) : [];
    const samples = this.isPair ? this.pairs(runs(this.firstRole, this.given.stop_at), runs("sample", this.given.stop_at)) : runs("sample", this.given.stop_at);
    const results = samples.filter((run) => givesReading(run.state));
    return { blanks, samples, counted: results, answers, run: this.presentRun(blanks, samples, opened, answers), closing: isClosing(live) };
  }

  // A run of two counts: taps go to the one that is being counted.
  pairs(firsts, seconds) {
    const numbers = [...new Set([...firsts, ...seconds].map((run) => run.number))].sort((a, b) => a - b);
    return numbers.map((number) => this.pair(number, firsts.find((run) => run.number === number), seconds.find((run) => run.number === number)));
  }

  pair(number, firstRun, secondRun) {
    const none = (role) => ({ ...named(role, number), most: this.given.stop_at, events: [], state: deriveRun([], this.given.stop_at) });
    const first = firstRun ?? none(this.firstRole);
    const second = this.isStaged ? this.goingOn(secondRun ?? none("sample"), first.state.count) : (secondRun ?? none("sample"));
    const beyond = this.isStaged && first.state.endpoint === false;
    const active = first.state.endpoint === null || beyond ? first : second;
    const both = first.state.endpoint !== null && second.state.endpoint !== null;
    const ended = this.isStaged ? second.state.endpoint : true;
    const state = { ...active.state, endpoint: beyond ? false : both ? ended : null, voided: first.state.voided || second.state.voided };
    for (const side of [first, second]) for (const step of side.state.steps) state.steps.add(step);
    return { ...active, role: "sample", number, state, pair: { first: first.state, second: second.state }, before: second.events.length ? null : first };
  }

  // The second stage of a vessel ends where the range of both together does.
  goingOn(run, first) {
    const { counts, stop_at } = this.given.parts[1];
    const most = counts === "all" ? stop_at - first : stop_at;
    return { ...run, most, state: deriveRun(run.events, most) };
  }

  emptyRun(role, number) {
    if (this.isPair && role === "sample") return this.pair(number);
    const most = role === "blank" ? this.given.blank.stop_at : this.given.stop_at;
    return { ...named(role, number), most, events: [], state: deriveRun([], most, role === "blank" ? [] : this.parts) };
  }

  presentRun(blanks, samples, opened, answers) {
    const last = [...blanks, ...samples].at(-1);
    if (last && !opened && (!isFinished(last.state) || this.stepsLeft(last, answers))) return last;
    if (opened) {
      const [role, number] = opened.split("-");
      return [...blanks, ...samples].find((run) => run.role === role && run.number === Number(number)) ?? this.emptyRun(role, Number(number));
    }
    if (!blanks.length && !samples.length) return this.emptyRun(this.given.blank ? "blank" : "sample", 1);
    return null;
  }

  // After the end, the steps that remain (rinsing, waste) are still to be done; a void or skipped run has none.
  stepsLeft(run, answers) {
    if (run.state.voided || run.state.skipped) return false;
    return this.presentStep(run, answers) !== null;
  }

  // Whether an answer is the one a step is for; of a number, whether it lies below, within or above what is wanted.
  leadsTo(key, answer, wanted) {
    const { ask } = this.given.steps.find((step) => step.ask?.key === key);
    if (typeof answer !== "number") return answer === wanted;
    return wanted === "measured" || wanted === (answer < ask.least ? "below" : answer > ask.most ? "above" : "within");
  }

  applies(step, answers) {
    return Object.entries(step.when ?? {}).every(([key, wanted]) => answers[key] !== undefined && this.leadsTo(key, answers[key], wanted));
  }

  isDone(index, run, answers) {
    const step = this.given.steps[index];
    if (!this.stepApplies(index, run, answers)) return true;
    if (step.kind === "count") return run.state.endpoint !== null || (this.isStaged && run.pair?.first.endpoint !== null && index === this.firstCount);
    if (step.kind === "read") return run.state.stopped || this.partsOf(index).every((part) => run.state.readings[part]);
    if (step.kind === "ask") return answers[step.ask.key] !== undefined;
    return run.state.steps.has(index);
  }

  // What was counted or read stands, whether or not every step before it was ticked.
  presentStep(run, answers = {}) {
    const lastInput = run.state.stopped ? this.given.steps.findLastIndex((step) => step.kind === this.inputStep) : this.given.steps.findLastIndex((step, index) => step.kind === this.inputStep && this.isDone(index, run, answers));
    for (let step = lastInput + 1; step < this.given.steps.length; step += 1) if (!this.isDone(step, run, answers)) return step;
    return null;
  }

  stepApplies(index, run, answers) {
    return this.applies(this.given.steps[index], answers) && !(run?.role === "blank" && ofSample(this.given.steps[index]));
  }

  stepDone(index, run, answers) {
    return this.stepApplies(index, run, answers) && this.isDone(index, run, answers);
  }

  isCounting(run, answers) {
    return Boolean(run) && !isFinished(run.state) && this.given.steps[this.presentStep(run, answers)]?.kind === "count";
  }

  isReading(run, answers) {
    return Boolean(run) && !run.state.voided && this.given.steps[this.presentStep(run, answers)]?.kind === "read";
  }

  // How long a step's clock runs: as the method says, or computed from what was read before.
  clockSeconds(index, run) {
    const { seconds, computed } = this.given.steps[index].wait;
    if (!computed) return seconds;
    const shown = run.state.readings[computed.part]?.raw.display;
    return shown === undefined ? null : Math.max(1, Math.ceil(computed.base_s + computed.per_s * shown));
  }

  // The step whose clock a part is read by: the last with a clock before it.
  clockStep(key, answers) {
    const reads = this.given.steps.findIndex((step, index) => step.kind === "read" && this.partsOf(index).includes(key));
    return this.given.steps.findLastIndex((step, index) => index < reads && step.wait && this.applies(step, answers));
  }

  // When a part may be read; null where no clock that was started binds it.
  readingWindow(key, run, answers) {
    const step = this.clockStep(key, answers);
    const clock = run.state.clocks[step];
    if (!clock) return null;
    const { read_s } = this.given.parts.find((part) => part.key === key);
    if (read_s) return { opens: later(clock.at, read_s[0]), closes: later(clock.at, read_s[1]) };
    const opens = later(clock.at, clock.seconds);
    const { within_s } = this.given.steps[step].wait;
    return { opens, closes: within_s ? opens + within_s * 1000 : null };
  }

  // The clocks that run in a run, for the page and for the shelf: what for, from when, till when.
  clocksOf(run, answers) {
    if (!run || run.state.voided || run.state.stopped) return [];
    const present = this.presentStep(run, answers) ?? this.given.steps.length;
    const running = ([at, what, key, window]) => ({ key, what, at: Date.parse(at), ...window });
    const clocks = Object.entries(run.state.clocks).flatMap(([step, clock]) => {
      const { what } = this.given.steps[step].wait;
      if (present === Number(step)) return [[clock.at, what, step, { opens: later(clock.at, clock.seconds), closes: null }]];
      if (present < Number(step)) return [];
      const waiting = this.given.parts.filter((part) => !run.state.readings[part.key] && !run.state.seen[part.key] && this.clockStep(part.key, answers) === Number(step));
      // After a wait of "at least" nothing presses once the person has gone on. Parts that share their time share a clock.
      const together = new Map();
      for (const part of waiting) together.set(String(part.read_s), [...(together.get(String(part.read_s)) ?? []), part]);
      return [...together].map(([time, alike]) => [clock.at, this.given.parts.length > 1 ? `read ${alike.map((part) => part.parameter).join(", ")}` : `read: ${what}`, `${step}-${time}-${alike.length}`, this.readingWindow(alike[0].key, run, answers)]).filter(([, , , window]) => window.closes);
    });
    const { clock } = run.state;
    if (clock) clocks.push([clock.at, "does the colour stay?", "settle", { opens: later(clock.at, clock.seconds), closes: null }]);
    return clocks.map(running);
  }

  blankVerdict(state) {
    if (!state.endpoint || state.count > this.given.blank.questionable) return "bad";
    return state.count <= this.given.blank.good ? "good" : "questionable";
  }

  // What the blank took, by which the truth may be lower; a blank carried over counts as one run here.
  blankTook(blanks) {
    return blanks.filter((blank) => blank.state.endpoint !== null && !blank.state.voided).at(-1)?.state.count ?? this.given.blank_carried ?? 0;
  }

  // What a count comes to, in the unit of its part.
  countComesTo(part, state, blanks) {
    const took = this.given.blank_counts === "checks" ? 0 : this.blankTook(blanks);
    return countComesTo(part, state, took, this.given.blank_counts === "off" ? took : 0);
  }

  // What a run comes to for a part; null where that is worked out when it is sent.
  comesTo(part, run, blanks) {
    const { state, pair } = run;
    if (!this.counted) return comesTo(part, state.readings[part.key].raw);
    if (!pair) return this.countComesTo(part, state, blanks);
    const { first, second } = pair;
    if (!this.isStaged) return comesTo(part, { system: second.count, supply: first.count, system_end: second.endpoint, supply_end: first.endpoint });
    if (first.endpoint === false) return this.countComesTo(part, first, blanks);
    const turned = second.first_change;
    const all = { count: first.count + second.count, endpoint: second.endpoint, first_change: turned === null ? null : first.count + turned };
    return this.countComesTo(part, { first, further: second, all }[part.counts], blanks);
  }

  // Whether a run says anything of a part: a pad may not have been read, and after a first stage without an end there is no second.
  bearsOn(part, run) {
    if (!this.counted) return Boolean(run.state.readings[part.key]);
    return !(this.isStaged && part.counts === "further" && run.pair.first.endpoint === false);
  }

  // What the runs amount to, part by part, as it is written: null where a reading is worked out when it is sent.
  outcomes(now) {
    return this.given.parts.flatMap((part) => {
      const results = now.counted.filter((run) => this.bearsOn(part, run)).map((run) => this.comesTo(part, run, now.blanks));
      if (!results.length) return [];
      if (results.includes(null)) return [{ part, result: null }];
      const result = writtenAs(part, concluded(part, results));
      return [{ part, result, verdict: verdictOn(part, result, result.state), steps: stepsOn(part, result, result.state) }];
    });
  }

  agreeing(run) {
    return this.given.parts[0].ladder.rungs[Math.max(run.state.count, 1) - 1].agrees;
  }

  // What the runs amount to together; null where the server has to say, and has not.
  agreement(now, states) {
    if (this.given.most_runs === 1) return "single";
    const outcomes = this.outcomes(now);
    const known = outcomes.every(({ result }) => result);
    return inOneWord(known ? outcomes.map(({ result }) => result.state) : Object.values(states ?? {}), now.counted.length);
  }

  choices(now, states) {
    const nextSample = `sample-${(now.samples.at(-1)?.number ?? 0) + 1}`;
    const beginWords = now.samples.length ? `Begin run ${nextSample.split("-")[1]}` : "Begin the first run";
    const write = [this.given.world ? "See what was right" : "Write it in the log", "close"];
    const again = [beginWords, nextSample];
    if (!now.samples.length && now.blanks.length) return this.afterBlank(now.blanks.at(-1), again);
    if (!now.counted.length) return { title: "This run is void", words: "It is kept, and not counted.", go: again };
    if (this.given.lacks_table) return { title: "The mark is kept", words: "It is a number, and in the log, as soon as its lot's table is written.", go: write, other: again };
    const state = this.agreement(now, states);
    if (state === "over") return { title: "Over the range", words: this.overWords(), go: write };
    if (state === "single") return { title: "Read", words: "", go: write, other: again };
    if (state === "agreed") return { title: "The runs agree", words: "", go: write, other: again };
    if (state === "not agreed") return { title: "The runs do not agree", words: "The result is kept, and marked.", go: write, other: again };
    if (state === null) return { title: "The runs are kept", words: "Whether they agree is said when there is a signal.", go: write, other: again };
    const alone = now.counted.length === 1;
    if (alone && this.given.planned_runs === 1) return { title: "The planned run is made", words: "", go: write, other: again };
    const words = alone ? "A second run shows whether the first can be trusted." : "They differ too much: a third run decides, the closest two count.";
    const one = this.counted && !this.isPair ? `: ${this.units(now.counted[0].state.count)}` : "";
    const title = alone ? `Run ${now.counted[0].number}${one}` : "The runs do not agree yet";
    return { title, words, go: again, other: [alone ? "Write it with one run only" : "Write it as it is", "close"] };
  }

  overWords() {
    if (this.given.kind === "count") return `No end within ${this.units(this.given.stop_at)}: the result is a floor. Write it down, then go on in the next range with the same sample.`;
    return "The result is a floor. Write it down, then go on with the same sample, diluted.";
  }

  afterBlank(last, again) {
    const [beginWords, nextSample] = again;
    if (last.state.skipped) return { title: "No blank", words: "The result will say that no blank was run.", go: [beginWords, nextSample] };
    if (last.state.voided) return { title: "The blank is void", words: "It is kept, and not counted.", go: ["Repeat the blank", `blank-${last.number + 1}`], other: ["Go on without a blank", nextSample] };
    const verdict = this.blankVerdict(last.state);
    const title = `The blank took ${this.units(last.state.count)}${last.state.endpoint ? "" : " without turning"}: ${verdict}`;
    if (verdict === "good") return { title, words: "Water, glass and reagents are in order.", go: [beginWords, nextSample] };
    const words = `${verdict === "bad" ? "Something in water, glass or reagents is not in order." : "It should turn at the first drop."} Check, and repeat the blank. If you go on, the warning stays with the result.`;
    return { title, words, checks: true, go: ["Repeat the blank", `blank-${last.number + 1}`], other: ["Go on with the warning", nextSample] };
  }

  present(now) {
    return this.presentStep(now.run, now.answers);
  }

  // The last tap that stands, and the last unit, of the run that is being made or was made last.
  lastLive(now) {
    let run = now.run ?? [...now.blanks, ...now.samples].at(-1);
    // Nothing tapped for the system yet: what is taken back is the supply's.
    if (run?.before?.events.length) run = run.before;
    const live = run ? liveEvents(run.events) : [];
    return { run, event: live.at(-1), drop: live.findLast((event) => event.kind === "drop_added") };
  }

  // Whether one shakes or holds while the present step's clock runs: nothing else can be done then.
  isAttended(now) {
    return Boolean(this.given.steps[this.present(now)]?.wait?.attended);
  }

  // The steps that are mere doing, from the present one to the next clock, question or reading.
  upToNext(now) {
    const steps = [];
    for (let step = this.present(now); this.given.steps[step]?.kind === "do" && !this.given.steps[step].wait; step += 1) if (this.stepApplies(step, now.run, now.answers)) steps.push(step);
    return steps;
  }
}
