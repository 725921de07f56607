// What the runs come to, as this page works it out by what came with it, until the server says it with all that marks it.

import { make } from "../base/element.js";
import { deserved } from "../base/numbers.js";

// The verdict as it is drawn everywhere; nothing where there is none.
export function drawnVerdict(bench, word) {
  return word ? [bench.one("[data-verdicts]").content.querySelector(`[data-word="${word}"]`).cloneNode(true)] : [];
}

// A result in words: its value, its unit, and where the truth lies.
export function inWords({ part, result }) {
  if (!result) return ["", "", "Its value is worked out when it is sent."];
  if (result.words) return [result.words, "", ""];
  const { value, low, high, censor } = result;
  const write = deserved(low, high);
  const truth = { "<": () => `at or below ${write(high)}`, ">": () => `above ${write(low)}` }[censor] ?? (() => `between ${write(low)} and ${write(high)}`);
  return [`${censor}${write(value)}`, `${part.sign}${part.form ? ` as ${part.form}` : ""}`, `truth ${truth()} ${part.sign}`];
}

function inOwnLine(words) {
  const line = document.createElement("p");
  line.className = "next";
  line.textContent = words;
  return line;
}

export function showOutcome(bench) {
  const template = bench.one("[data-worked-out]").content;
  const outcomes = bench.determination.outcomes(bench.now);
  const drawn = outcomes.map((outcome) => {
    const one = template.firstElementChild.cloneNode(true);
    const [value, unit, truth] = inWords(outcome);
    one.querySelector("[data-of]").hidden = outcomes.length === 1;
    one.querySelector("[data-of]").textContent = outcome.part.parameter.replace(/^./, (letter) => letter.toUpperCase());
    one.querySelector("[data-value]").textContent = value;
    one.querySelector("[data-unit-after]").textContent = unit;
    one.querySelector("[data-truth]").textContent = truth;
    one.querySelector("[data-word-on-it]").replaceChildren(...drawnVerdict(bench, outcome.verdict));
    const steps = (outcome.steps ?? []).map(inOwnLine);
    const heading = outcomes.length > 1 ? [one.querySelector("[data-of]").cloneNode(true)] : [];
    const more = make("div", {}, ...heading, ...steps);
    more.dataset.more = "";
    if (steps.length) one.append(more);
    return one;
  });
  bench.one("[data-outcome]").replaceChildren(...drawn, template.lastElementChild.cloneNode(true));
  placeMore(bench);
}

// What is said besides stands below the buttons: they stay where they are, whatever the server adds.
export function placeMore(bench) {
  bench.one("[data-outcome-more]").replaceChildren(...bench.all("[data-outcome] [data-more]"));
}
