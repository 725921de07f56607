// What is read, not counted: from the page's fields to a reading, part by part. Drawn scales follow their numbers.

import { refusal } from "./calculation.js";
import { tell } from "../base/announcer.js";
import { checkOnScale, showHint } from "../base/hint.js";
import { checkNumber, numberOf } from "../base/number-field.js";
import { liveEvents } from "./run-state.js";
import { clockWords } from "../base/shelf.js";

// The note that some colours look alike to who reads, where nobody else looks and light and dark do not tell it.
export function untold(root) {
  const note = root.querySelector("[data-untold]");
  return note && !note.querySelector("input").checked ? note : null;
}

const fieldsetsOf = (bench) => bench.all("[data-part]");
const seen = (field) => field.checkVisibility();

// What the fields of a part say; null with a word to the person where something lacks.
export function takeReading(bench, key) {
  const fieldset = fieldsetsOf(bench).find((each) => each.dataset.part === key);
  const reading = {};
  if (fieldset.querySelector("[data-choice]")) {
    const chosen = fieldset.querySelector("[data-choice]:checked");
    if (!chosen) return refuse(fieldset, "Choose what it looks like first.");
    Object.assign(reading, JSON.parse(chosen.value));
    if (chosen.dataset.alike && untold(fieldset)) reading.alike = JSON.parse(chosen.dataset.alike);
    const fraction = fieldset.querySelector("[data-fraction]");
    if (fraction && reading.between) reading.fraction = Number(fraction.value) / 100;
  }
  for (const field of fieldset.querySelectorAll("[data-field]")) {
    if (!seen(field)) continue;
    if (!field.checkValidity()) return field.reportValidity() && null;
    if (field.type === "checkbox") {
      if (field.checked) reading[field.dataset.field] = true;
    } else if (field.value !== "") reading[field.dataset.field] = "number" in field.dataset || field.type === "number" ? numberOf(field) : field.value;
  }
  const wanted = [...fieldset.querySelectorAll("[data-needed]")].find((field) => seen(field) && field.value === "");
  if (wanted) {
    wanted.focus();
    return refuse(fieldset, `${wanted.labels[0].textContent}: write what it says.`);
  }
  if (reading.sensor && isUsed(bench, key, reading.sensor)) return refuse(fieldset, `Sensor ${reading.sensor} was used already, and reads too low a second time. Read with a fresh one.`);
  const against = refusal(bench.given.parts.find((part) => part.key === key), reading);
  return against ? refuse(fieldset, against) : reading;
}

// Whether another reading of the test bears a sensor's number; of one read again the last counts.
function isUsed(bench, key, sensor) {
  const here = bench.now.run.source;
  return liveEvents([...bench.keeper.taps.values()]).some((event) => event.kind === "reading_taken" && event.data.reading.sensor === sensor && (event.run !== here || event.data.part !== key));
}

function refuse(fieldset, words) {
  fieldset.querySelector("[data-reading-said]").textContent = words;
  tell("fault", words);
  return null;
}

// Show which parts are to be read now, what was read, and when each may be.
export function showReadings(bench, present) {
  const { run } = bench.now;
  for (const fieldset of fieldsetsOf(bench)) {
    const key = fieldset.dataset.part;
    const read = run?.state.readings[key];
    fieldset.hidden = !present.includes(key);
    fieldset.classList.toggle("is-read", Boolean(read));
    const choice = read && [...fieldset.querySelectorAll("[data-choice]")].find((each) => sameStep(JSON.parse(each.value), read.raw));
    if (choice && !choice.checked) choice.checked = true;
    if (!read && "atOnce" in fieldset.dataset) for (const each of fieldset.querySelectorAll("[data-choice]:checked")) each.checked = false;
    showWindow(bench, fieldset, read);
  }
}

const sameStep = (option, raw) => Object.entries(option).every(([key, value]) => String(value) === String(raw[key]));

const nameOf = (fieldset) => fieldset.querySelector("legend").firstChild.textContent.trim();

function showWindow(bench, fieldset, read) {
  const { run, answers } = bench.now;
  const place = fieldset.querySelector("[data-window]");
  const window = run && bench.determination.readingWindow(fieldset.dataset.part, run, answers);
  const seen = run?.state.seen[fieldset.dataset.part];
  const eye = fieldset.querySelector("[data-act=seen]");
  // Where the time of reading counts, the eye may take it now, and the hands write after.
  if (eye) eye.hidden = Boolean(read || seen || !window?.closes);
  let [words, state] = ["", ""];
  if (read) [words, state] = late(window, Date.parse(read.at)) ?? ["read", "read"];
  else if (seen) [words, state] = [`${late(window, Date.parse(seen))?.[0] ?? "read"}: now its number`, "due"];
  else if (window) {
    const now = Date.now();
    if (now < window.opens) [words, state] = [`read in ${clockWords(window.opens - now)}`, "running"];
    else if (window.closes && now <= window.closes) [words, state] = [`read now, ${clockWords(window.closes - now)} left`, "due"];
    else if (window.closes) [words, state] = ["past its time: read it all the same, it will be marked", "late"];
  }
  if (place.textContent !== words) place.textContent = words;
  // It counts down in view, and is heard as its time begins and ends.
  if (!bench.root.hidden) tell(`clock ${fieldset.dataset.part}`, state === "due" ? `${nameOf(fieldset)}: read now` : state === "late" && !read ? `${nameOf(fieldset)}: ${words}` : "");
  place.className = `window ${state}`;
}

function late(window, at) {
  if (!window) return null;
  if (at < window.opens) return ["read, too early", "late"];
  return window.closes && at > window.closes ? ["read, too late", "late"] : null;
}

// ---- the fields ---------------------------------------------------------------------------------------------------

function hint(bench, fieldset) {
  const of = bench.given.displays[fieldset.dataset.part];
  const said = fieldset.querySelector("[data-hint]");
  if (!of || !said) return;
  const [field, unit] = [fieldset.querySelector("[data-field=display]"), fieldset.querySelector("[data-field=display_unit]")];
  const off = checkOnScale(field, of, unit);
  if (off) Object.assign(said, { textContent: off }).classList.add("late");
  else showHint(said, of, numberOf(field), unit);
}

function drawScale(drawn, value) {
  const { length, least, most } = drawn.dataset;
  const along = (Number(length) * (Math.min(Math.max(value, least), most) - least)) / (most - least);
  const upward = drawn.classList.contains("standing") && !drawn.classList.contains("down");
  const edge = 20;
  const at = edge + (upward ? Number(length) - along : along);
  const pointer = drawn.querySelector("[data-pointer]");
  const level = drawn.querySelector("[data-level]");
  const end = edge + Number(length);
  if (drawn.classList.contains("standing")) {
    pointer.setAttribute("transform", `translate(0 ${at})`);
    // A burette is full below the reading; a shadow and a peak stand below their edge.
    level.setAttribute("d", `M31 ${at}h42V${end}h-42z`);
  } else {
    pointer.setAttribute("transform", `translate(${at} 0)`);
    level.setAttribute("d", `M${at} 35V77H${end}V35z`);
  }
}

// What is typed, chosen or slid is shown as it is done.
export function wireFields(bench) {
  for (const drawn of bench.all("[data-drawn]")) {
    const [slider, typed] = [drawn.querySelector("[data-slider]"), drawn.querySelector("[data-typed]")];
    slider.addEventListener("input", () => {
      typed.value = slider.value;
      checkNumber(typed);
      drawScale(drawn, Number(slider.value));
    });
    typed.addEventListener("input", () => {
      const value = numberOf(typed);
      if (value === null) return;
      slider.value = value;
      drawScale(drawn, value);
    });
    drawScale(drawn, Number(slider.value));
  }

  for (const fieldset of fieldsetsOf(bench)) {
    fieldset.addEventListener("input", () => {
      fieldset.querySelector("[data-reading-said]").textContent = "";
      hint(bench, fieldset);
      tell("stands hint", fieldset.querySelector("[data-hint]")?.textContent ?? "");
      const chosen = fieldset.querySelector("[data-choice]:checked");
      const judged = fieldset.querySelector("[data-judged]");
      if (judged) {
        judged.hidden = !chosen || !JSON.parse(chosen.value).between;
        judged.querySelector("[data-part-of-way]").textContent = judged.querySelector("[data-fraction]").value;
      }
      const view = fieldset.querySelector("[data-view]:checked")?.value;
      for (const shown of fieldset.querySelectorAll("[data-shows]")) shown.hidden = !shown.dataset.shows.split(" ").includes(view);
    });
  }
}

// A new run begins with empty fields, but for the unit and the cell, which stay as they were.
export function emptyFields(bench) {
  for (const fieldset of fieldsetsOf(bench)) {
    for (const field of fieldset.querySelectorAll("input[data-field]")) {
      if (field.type === "checkbox") field.checked = false;
      else field.value = "";
      if ("number" in field.dataset) checkNumber(field);
    }
    for (const choice of fieldset.querySelectorAll("[data-choice]")) choice.checked = false;
    fieldset.querySelector("[data-reading-said]").textContent = "";
    hint(bench, fieldset);
  }
}
