// Circumstances: each answer is kept in this browser the moment it is given, then on the server.

import { tell } from "../base/announcer.js";
import { checkOnScale, showHint } from "../base/hint.js";
import { checkNumber, numberOf } from "../base/number-field.js";

// Whether a word is among those that a value stands for: one by its place, several by a bit each from `several` on.
const isTrue = (place, value, several) => value !== null && (value >= several ? Math.floor((value - several) / 2 ** place) % 2 === 1 : place === value);

// What is ticked of a scale, as one value; the first word says that none of the others is true. Null where nothing is.
function allTrue(scale, tapped) {
  const [none, ...others] = scale.querySelectorAll("input");
  for (const each of tapped === none ? others : [none]) each.checked = false;
  const places = [none, ...others].filter(({ checked }) => checked).map(({ value }) => Number(value));
  if (places.length < 2) return places[0] ?? null;
  return places.reduce((sum, place) => sum + 2 ** place, Number(scale.dataset.several));
}

export class Circumstances {
  // `scales` are the numbers among them: see show() in hint.js; `keeper` keeps what is noted.
  constructor(root, scales, keeper) {
    Object.assign(this, { root, scales, keeper });
    this.asked = [...root.querySelectorAll("[data-scale]")];
    for (const scale of this.asked) this.wire(scale);
    this.free = root.querySelector("[data-note]");
    this.free.addEventListener("change", () => this.keeper.add("", "note_written", { text: this.free.value }));
  }

  // The last observation of each scale counts, as on the server.
  newest(key) {
    return this.last((event) => event.run === key);
  }

  last(wanted) {
    return [...this.keeper.taps.values()].filter(wanted).sort((a, b) => a.seq - b.seq || (a.at < b.at ? -1 : 1)).at(-1);
  }

  show() {
    // Until the taps of before are read, the page takes none: nothing noted may get lost.
    this.root.inert = false;
    for (const scale of this.asked) {
      const last = this.newest(scale.dataset.scale);
      if (last) this.showScale(scale, last.data);
    }
    const note = this.last((event) => event.kind === "note_written");
    if (note && this.free !== document.activeElement) this.free.value = note.data.text;
  }

  showScale(scale, { value, instrument, unit }) {
    for (const input of scale.querySelectorAll("input")) {
      if (input.type === "radio") input.checked = Number(input.value) === value && value !== null;
      else if (input.type === "checkbox") input.checked = isTrue(Number(input.value), value, Number(scale.dataset.several));
      // What was typed and cannot be stays to be looked at.
      else if (input !== document.activeElement && !input.ariaInvalid) {
        input.value = value ?? "";
        checkNumber(input);
      }
    }
    const [by, shownIn] = [scale.querySelector("[data-instrument]"), scale.querySelector("[data-unit]")];
    if (by) by.value = instrument ?? "";
    if (shownIn && unit) shownIn.value = unit;
    const of = this.scales[scale.dataset.scale];
    const said = scale.querySelector("[data-hint]");
    if (of && said) showHint(said, of, value, shownIn);
  }

  note(scale, value) {
    const instrument = scale.querySelector("[data-instrument]")?.value;
    const unit = scale.querySelector("[data-unit]")?.value ?? "";
    this.keeper.add(scale.dataset.scale, "observed", { value, unit, instrument: instrument ? Number(instrument) : null });
  }

  wire(scale) {
    scale.addEventListener("change", (event) => {
      const input = event.target.matches("select") ? scale.querySelector("input") : event.target;
      if (input.type === "radio") return this.note(scale, Number(input.value));
      if (input.type === "checkbox") return this.note(scale, allTrue(scale, input));
      const value = numberOf(input);
      const off = checkOnScale(input, this.scales[scale.dataset.scale], scale.querySelector("[data-unit]"));
      if (!input.checkValidity()) {
        const said = scale.querySelector("[data-hint]");
        said.textContent = `${off || input.validationMessage} It is not noted.`;
        tell("fault", said.textContent);
        return said.classList.add("late");
      }
      if (value !== null || this.newest(scale.dataset.scale)) this.note(scale, value);
      tell("stands hint", scale.querySelector("[data-hint]").textContent);
    });
    // What was so last time, or a service says, was looked at and is so: in the scale's own unit, read by no instrument of ours.
    for (const button of scale.querySelectorAll("[data-take]"))
      button.addEventListener("click", () => this.keeper.add(scale.dataset.scale, "observed", { value: Number(button.dataset.take), unit: "", instrument: null }));
    // A second tap on the word that is chosen takes it back.
    scale.addEventListener("click", (event) => {
      const input = event.target;
      if (input.type === "radio" && this.newest(scale.dataset.scale)?.data.value === Number(input.value)) this.note(scale, null);
    });
  }
}
