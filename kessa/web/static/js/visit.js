// Circumstances: each answer is kept in this browser the moment it is given, then on the server.

import { Keeper } from "./keeper.js";

const given = JSON.parse(document.getElementById("visit-payload").textContent);
const saved = document.querySelector("[data-saved]");
const trouble = document.querySelector("[data-trouble]");
const scales = [...document.querySelectorAll("[data-scale]")];

// The last observation of each scale counts, as on the server.
function newest(key) {
  const of = [...keeper.events.values()].filter((event) => event.run === key);
  return of.sort((a, b) => a.seq - b.seq || (a.at < b.at ? -1 : 1)).at(-1);
}

function show() {
  for (const scale of scales) {
    const last = newest(scale.dataset.scale);
    if (!last) continue;
    const value = last.data.value;
    for (const input of scale.querySelectorAll("input")) {
      if (input.type === "radio") input.checked = Number(input.value) === value && value !== null;
      else if (input !== document.activeElement) input.value = value ?? "";
    }
    const instrument = scale.querySelector("[data-instrument]");
    if (instrument) instrument.value = last.data.instrument ?? "";
    const unit = scale.querySelector("[data-unit]");
    if (unit && last.data.unit) unit.value = last.data.unit;
    hint(scale, value);
  }
  const waiting = keeper.waiting.size;
  saved.textContent = waiting ? `${waiting} waiting` : "all readings saved";
  saved.classList.toggle("waiting", waiting > 0);
}

const plain = (number) => String(Number(number.toPrecision(4)));

// What the display says in the scale's own unit, and whether the place is usually far from it: look at the unit again.
function hint(scale, shown) {
  const of = given.scales[scale.dataset.scale];
  const said = scale.querySelector("[data-hint]");
  if (!of || !said) return;
  if (shown === null || shown === undefined) return said.replaceChildren();
  const unit = scale.querySelector("[data-unit]");
  const [slope, offset] = of.units[unit?.value || of.own];
  const value = shown * slope + offset;
  const parts = [];
  if (unit && unit.value !== of.own) parts.push(`${plain(shown)} ${unit.selectedOptions[0].text} is ${plain(value)} ${of.sign}.`);
  const [low, high] = of.usual ?? [value, value];
  if (value < low || value > high) parts.push(`Usually ${plain(low)} to ${plain(high)} ${of.sign} here.`);
  const far = value > high * 3 || value < low / 3;
  if (far && of.usual && low > 0) parts.push("Check the unit on the display.");
  said.textContent = parts.join(" ");
  said.classList.toggle("late", far && low > 0);
}

function note(scale, value) {
  const instrument = scale.querySelector("[data-instrument]")?.value;
  const unit = scale.querySelector("[data-unit]")?.value ?? "";
  keeper.add(scale.dataset.scale, "observed", { value, unit, instrument: instrument ? Number(instrument) : null });
}

const keeper = new Keeper({
  ...given,
  onChange: show,
  onReply: () => {},
  onTrouble: (words) => {
    trouble.hidden = !words;
    trouble.textContent = words ?? "";
  },
});

for (const scale of scales) {
  scale.addEventListener("change", (event) => {
    const input = event.target.matches("select") ? scale.querySelector("input") : event.target;
    if (input.type === "radio") return note(scale, Number(input.value));
    if (!input.checkValidity()) return input.reportValidity();
    if (input.value !== "" || newest(scale.dataset.scale)) note(scale, input.value === "" ? null : Number(input.value));
  });
  // A second tap on the word that is chosen takes it back.
  scale.addEventListener("click", (event) => {
    const input = event.target;
    if (input.type !== "radio") return;
    if (newest(scale.dataset.scale)?.data.value === Number(input.value)) note(scale, null);
  });
}
keeper.start();
