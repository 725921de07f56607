// What readings come to, without a signal: by the lines, points and tables that came with the page. What they mean is the core's
// (kessa/core/runs/beforehand.py); here is only looking up, and what is done alike with every number.

const CLOSE = 1e-9;
const BESIDE = 3e-8;

const fieldOf = (axis, raw, name) => raw[name] ?? axis.usual?.[name] ?? null;
const fits = (axis, raw) => Object.entries(axis.when ?? {}).every(([name, wanted]) => JSON.stringify(fieldOf(axis, raw, name)) === JSON.stringify(wanted));
const near = (x) => Math.max(1, Math.abs(x));

// Where a reading stands on an axis; null where a number that it needs is missing.
function placeOn(axis, raw) {
  const { constant = 0, weights = {}, logs = {}, highest = [], over = {} } = axis;
  const number = (name) => (name === "" ? 1 : fieldOf(axis, raw, name));
  if ([...Object.keys(weights), ...Object.keys(logs), ...highest, ...Object.keys(over)].some((name) => typeof number(name) !== "number")) return null;
  const sum = (terms, of = (value) => value) => Object.entries(terms).reduce((all, [name, weight]) => all + weight * of(number(name)), 0);
  const x = constant + sum(weights) + sum(logs, Math.log10) + (highest.length ? Math.max(...highest.map(number)) : 0);
  return Object.keys(over).length ? x / sum(over) : x;
}

// The numbers at a place, and the word that stands there.
function lookUp(lines, points, x) {
  const point = points.find(([at]) => Math.abs(at - x) <= CLOSE * near(at));
  if (point) return { numbers: point[1], word: point[2] };
  const line = lines.findLast(([from]) => from <= x) ?? lines[0];
  if (!line || x < line[0] - BESIDE * near(x) || x > line[1] + BESIDE * near(x)) return null;
  const [from, to, first, last, word] = line;
  return { numbers: first.map((start, index) => (start === null ? null : start + ((last[index] - start) * (x - from)) / (to - from))), word };
}

// The words against a reading that is none; null where nothing is known against it.
export function refusal({ axes }, raw) {
  const axis = axes.find((each) => fits(each, raw) && each.rising);
  if (!axis) return null;
  const [first, second] = axis.rising.map((name) => fieldOf(axis, raw, name));
  return first > second ? axis.else : null;
}

// What one reading comes to, in the test's own unit; null where that is worked out when it is sent.
export function comesTo(told, raw) {
  const found = refusal(told, raw) ? null : readAs(told, raw);
  return found && raw.alike ? takenFor(found, raw.alike.map((at) => readAs(told, { at }))) : found;
}

// Widened to the steps that the eye could not tell from what was read: a floor where one of them is beyond the card's end.
function takenFor(found, ends) {
  const every = [found, ...ends];
  if (every.includes(null)) return null;
  const low = Math.min(...every.map((each) => each.low));
  const highs = every.map(({ high }) => high);
  if (highs.includes(null)) return { ...found, value: low, low, high: null, censor: ">" };
  return { ...found, low, high: Math.max(...highs), censor: every.every(({ censor }) => censor === "<") ? "<" : "" };
}

function readAs(told, raw) {
  for (const axis of told.axes.filter((each) => fits(each, raw))) {
    const x = placeOn(axis, raw);
    const found = x === null ? null : lookUp(axis.lines, axis.points, x);
    if (found) return quantity(found, (axis.covers ?? []).map((name) => raw[name] * told.covered));
  }
  return null;
}

function quantity({ numbers: [value, low, high], word }, covered) {
  const censor = ["<", ">"].includes(word) ? word : "";
  const words = censor ? "" : word;
  if (!covered.length || censor) return { value, low, high, censor, words };
  return { value, low: Math.min(low, ...covered), high: Math.max(high, ...covered), censor, words };
}

// What a count comes to, by the ladder of its range; `took` are the units of a blank, `off` what is taken off the count for them.
export function countComesTo({ ladder }, { count, first_change, endpoint }, took, off) {
  const rung = ladder.rungs[Math.max(count - off, 1) - 1];
  const [value, least] = count > off ? rung.over : [0, 0];
  if (endpoint === false) return { value, low: least, high: null, censor: ">", words: "" };
  if (count <= off) return { value: ladder.less[0], low: 0, high: ladder.less[1], censor: "<", words: "" };
  // The last unit that surely was not enough: the one before the colour began to turn, less what the blank took.
  const enough = Math.max((first_change ?? count) - 1 - took, 0);
  return { value: rung.value, low: rung.censor ? 0 : Math.min(ladder.lows[enough], rung.least), high: rung.high, censor: rung.censor, words: "" };
}

// ---- several runs ---------------------------------------------------------------------------------------------------

function apart({ compares, places }, a, b) {
  if (a.value === b.value) return 0;
  const compared = { results: (value) => value, logarithms: Math.log, places: (value) => lookUp(places, [], value)?.numbers[0] }[compares];
  return Math.abs(compared(a.value) - compared(b.value));
}

function agree(rule, a, b) {
  const between = Math.abs(a.value - b.value);
  const floor = rule.floor > 0 && between <= rule.floor + CLOSE * Math.max(Math.abs(a.value), Math.abs(b.value), 1);
  return floor || apart(rule, a, b) <= rule.within + CLOSE;
}

function pairsOf(results) {
  return results.flatMap((a, first) => results.slice(first + 1).map((b) => [a, b]));
}

const mean = (results, end) => results.reduce((sum, each) => sum + each[end] / results.length, 0);

// Runs that agree have the mean of their ends, others the outermost.
function together(results, value, agreed) {
  const censor = results.every((each) => each.censor === "<") ? "<" : "";
  const [low, high] = agreed
    ? [mean(results, "low"), mean(results, "high")]
    : [Math.min(...results.map(({ low }) => low)), Math.max(...results.map(({ high }) => high))];
  return { value, low, high, censor, words: "" };
}

function atLeast(results) {
  const floor = Math.min(...results.map(({ censor, value, low }) => (censor === ">" ? value : low)));
  return { value: floor, low: Math.min(...results.map(({ low }) => low)), high: null, censor: ">", words: "" };
}

// What the results of the runs amount to, in their order: their state in the words of the server, and one result.
export function concluded({ agreement }, results) {
  if (!results.length) return null;
  if (results.some(({ censor }) => censor === ">")) return { state: "over range", ...atLeast(results) };
  if (!agreement) return { state: "single", ...results.at(-1) };
  if (results.length === 1) return { state: "run again", ...results[0] };
  const pairs = pairsOf(results);
  const closest = Math.min(...pairs.map((pair) => apart(agreement, ...pair)));
  const chosen = pairs.filter((pair) => apart(agreement, ...pair) <= closest + CLOSE);
  const used = results.filter((result) => chosen.some((pair) => pair.includes(result)));
  const counting = { closest: used, mean: results, first: results.slice(0, 1) }[agreement.takes];
  const agreed = chosen.some((pair) => agree(agreement, ...pair));
  const state = agreed ? "agreed" : results.length < agreement.most ? "run again" : "not agreed";
  return { state, ...together(agreed ? counting : results, mean(counting, "value"), agreed) };
}

// ---- written and judged ---------------------------------------------------------------------------------------------

// A result in the form in which it is written in the log.
export function writtenAs({ times }, { value, low, high, ...rest }) {
  return { value: value * times, low: low * times, high: high === null ? null : high * times, ...rest };
}

// The verdict on a written result; null where there is none.
export function verdictOn({ verdicts }, result, state) {
  if (!verdicts) return null;
  const word = verdicts.order[Math.max(...placesOf(verdicts, result, state))];
  return !word || word === verdicts.says_nothing ? null : word;
}

// What is to be done about a written result, beside what else is known of the place; null where the server has to say.
export function stepsOn({ verdicts, steps }, result, state) {
  if (!verdicts || !steps) return null;
  const side = ({ middle }, place) => (middle === null || !place ? "" : result.value > middle ? "h" : "l");
  const key = placesOf(verdicts, result, state).map((place, nth) => `${place}${side(verdicts.limits[nth], place)}`).join(",");
  return steps.said[steps.by[key]] ?? null;
}

// How grave the verdict of each limit is: its place in their order.
function placesOf({ limits, order, not_agreed }, result, state) {
  return limits.map((limit) => {
    const place = digitOf(limit, result);
    return state === "not agreed" ? order.indexOf(not_agreed[order[place]] ?? order[place]) : place;
  });
}

function digitOf(limit, { value, low, high, censor }) {
  const stretches = [value, low, high ?? value].map((number, index) => limit.cuts[index].filter((cut) => cut < number).length);
  const place = stretches.reduce((so_far, stretch, index) => so_far * (limit.cuts[index].length + 1) + stretch, 0);
  return Number(limit[censor][place]);
}
