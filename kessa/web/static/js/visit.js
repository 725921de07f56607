// Circumstances: each answer is kept in this browser the moment it is given, then on the server.

import { showHint } from "./hint.js";
import { Keeper } from "./keeper.js";

const given = JSON.parse(document.getElementById("visit-payload").textContent);
const saved = document.querySelector("[data-saved]");
const trouble = document.querySelector("[data-trouble]");
const scales = [...document.querySelectorAll("[data-scale]")];

// The last observation of each scale counts, as on the server.
function newest(key) {
  const of = [...keeper.taps.values()].filter((event) => event.run === key);
  return of.sort((a, b) => a.seq - b.seq || (a.at < b.at ? -1 : 1)).at(-1);
}

function show() {
  // Until the taps of before are read, the page takes none: nothing noted may get lost.
  document.querySelector("[data-circumstances]").inert = false;
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

function hint(scale, shown) {
  const of = given.scales[scale.dataset.scale];
  const said = scale.querySelector("[data-hint]");
  if (of && said) showHint(said, of, shown, scale.querySelector("[data-unit]"));
}

function note(scale, value) {
  const instrument = scale.querySelector("[data-instrument]")?.value;
  const unit = scale.querySelector("[data-unit]")?.value ?? "";
  keeper.add(scale.dataset.scale, "observed", { value, unit, instrument: instrument ? Number(instrument) : null });
}

const keeper = new Keeper({
  ...given,
  onChange: show,
  onClosed: (page) => window.location.assign(page),
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
