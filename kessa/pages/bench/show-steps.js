// The steps, the present one in view, and the sheet on which what is read is taken.

import { showReadings } from "./reading.js";
import { isFinished } from "./run-state.js";

export function showSteps(bench) {
  const { now } = bench;
  const { run } = now;
  const current = run ? bench.determination.present(now) : null;
  for (const item of bench.all("li[data-step]")) {
    const step = Number(item.dataset.step);
    item.hidden = !bench.determination.stepApplies(step, run, now.answers);
    item.classList.toggle("now", step === current);
    item.classList.toggle("done", !run || bench.determination.stepDone(step, run, now.answers));
    if (bench.given.steps[step].ask) showAnswer(item, bench.given.steps[step].ask, now.answers);
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

export function showReadingSheet(bench, reading) {
  const { now } = bench;
  const { run } = now;
  bench.one("[data-not-yet]").hidden = reading;
  showReadings(bench, reading ? bench.determination.partsOf(bench.determination.present(now)) : []);
  bench.one("[data-so-far]")?.replaceChildren(...(bench.one("[data-at-once]") ? [] : bench.given.parts.filter((part) => run.state.readings[part.key]).map((part) => soFar(part, run.state.readings[part.key].raw))));
  bench.act("stop").hidden = !(Object.keys(run.state.readings).length && run.state.missing.length);
  bench.act("void").hidden = !run.events.length || isFinished(run.state);
}

function soFar(part, raw) {
  const line = document.createElement("li");
  const said = raw.display ?? raw.absorbance ?? raw.transmittance ?? "read";
  line.textContent = `${part.parameter.replace(/^./, (letter) => letter.toUpperCase())}: ${raw.over ? "over the range" : said}${raw.display === undefined ? "" : ` ${part.unit}`}${raw.sensor ? `, sensor ${raw.sensor}` : ""}${raw.temperature_c === undefined ? "" : `, ${raw.temperature_c} °C`}`;
  return line;
}
