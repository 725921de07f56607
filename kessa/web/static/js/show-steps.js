// The steps, the present one in view, and the sheet on which what is read is taken.

import { act, one } from "./dom.js";
import { showReadings } from "./reading.js";
import { isFinished } from "./run-state.js";
import { given, partsOf, present, stepApplies, stepDone } from "./standing.js";

export function showSteps(now) {
  const { run } = now;
  const current = run ? present(now) : null;
  for (const item of document.querySelectorAll("li[data-step]")) {
    const step = Number(item.dataset.step);
    item.hidden = !stepApplies(step, run, now.answers);
    item.classList.toggle("now", step === current);
    item.classList.toggle("done", !run || stepDone(step, run, now.answers));
    if (given.steps[step].ask) showAnswer(item, given.steps[step].ask, now.answers);
    if (step === current) {
      // A long list of steps is led along: the present one stays in view.
      if (!item.hasAttribute("aria-current")) item.scrollIntoView({ block: "nearest" });
      item.setAttribute("aria-current", "step");
    }
    else item.removeAttribute("aria-current");
  }
}

// What was answered, which may be answered again: water was warmed, or a slip is put right.
function showAnswer(item, ask, answers) {
  const answer = answers[ask.key];
  const line = item.querySelector("[data-answered]");
  line.hidden = answer === undefined;
  if (answer === undefined) return;
  const outside = typeof answer === "number" && (answer < ask.least || answer > ask.most);
  const said = answer === "unknown" ? "Not measured" : ask.answers?.find(({ key }) => key === answer)?.name ?? `${answer} ${ask.unit}`;
  line.querySelector("[data-answer]").textContent = outside ? `${said}: outside what the method wants` : said;
}

export function showReadingSheet(now, reading) {
  const { run } = now;
  one("[data-not-yet]").hidden = reading;
  showReadings(run, now.answers, reading ? partsOf(present(now)) : []);
  one("[data-so-far]")?.replaceChildren(...(one("[data-at-once]") ? [] : given.parts.filter((part) => run.state.readings[part.key]).map((part) => soFar(part, run.state.readings[part.key].raw))));
  act("stop").hidden = !(Object.keys(run.state.readings).length && run.state.missing.length);
  act("void").hidden = !run.events.length || isFinished(run.state);
}

function soFar(part, raw) {
  const line = document.createElement("li");
  const said = raw.display ?? raw.absorbance ?? raw.transmittance ?? "read";
  line.textContent = `${part.parameter.replace(/^./, (letter) => letter.toUpperCase())}: ${raw.over ? "over the range" : said}${raw.display === undefined ? "" : ` ${part.unit}`}${raw.sensor ? `, sensor ${raw.sensor}` : ""}${raw.temperature_c === undefined ? "" : `, ${raw.temperature_c} °C`}`;
  return line;
}
