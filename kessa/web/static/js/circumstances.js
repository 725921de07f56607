// Circumstances: each answer is kept in this browser the moment it is given, then on the server.

import { showHint } from "./hint.js";

export class Circumstances {
  // `scales` are the numbers among them: see show() in hint.js; `keeper` keeps what is noted.
  constructor(root, scales, keeper) {
    Object.assign(this, { root, scales, keeper });
    this.asked = [...root.querySelectorAll("[data-scale]")];
    for (const scale of this.asked) this.wire(scale);
  }

  // The last observation of each scale counts, as on the server.
  newest(key) {
    const of = [...this.keeper.taps.values()].filter((event) => event.run === key);
    return of.sort((a, b) => a.seq - b.seq || (a.at < b.at ? -1 : 1)).at(-1);
  }

  show() {
    // Until the taps of before are read, the page takes none: nothing noted may get lost.
    this.root.inert = false;
    for (const scale of this.asked) {
      const last = this.newest(scale.dataset.scale);
      if (last) this.showScale(scale, last.data);
    }
  }

  showScale(scale, { value, instrument, unit }) {
    for (const input of scale.querySelectorAll("input")) {
      if (input.type === "radio") input.checked = Number(input.value) === value && value !== null;
      else if (input !== document.activeElement) input.value = value ?? "";
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
      if (!input.checkValidity()) return input.reportValidity();
      if (input.value !== "" || this.newest(scale.dataset.scale)) this.note(scale, input.value === "" ? null : Number(input.value));
    });
    // What a service says was looked at, and is so: in the scale's own unit, read by no instrument of ours.
    scale.querySelector("[data-take]")?.addEventListener("click", ({ target }) => this.keeper.add(scale.dataset.scale, "observed", { value: Number(target.dataset.take), unit: "", instrument: null }));
    // A second tap on the word that is chosen takes it back.
    scale.addEventListener("click", (event) => {
      const input = event.target;
      if (input.type === "radio" && this.newest(scale.dataset.scale)?.data.value === Number(input.value)) this.note(scale, null);
    });
  }
}
