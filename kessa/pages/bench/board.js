// The board: all tests of a visit on one page. The one that wants the hands next is shown in full, any other at a tap on its name.

import { Bench } from "./bench.js";
import { showSwitch } from "./brief.js";
import { partOfPage } from "../base/tap-requests.js";
import { wire } from "./keys.js";
import { tell } from "../base/announcer.js";
import { stateOf } from "./test-state.js";
import { speak } from "./voice.js";

// What wants no hands just now.
const RESTS = ["waiting", "closing", "done"];

export class Board {
  // onDrawn(benches) after any of them was drawn anew; onAlone(page) when a test that stands alone here is in the log; `after`
  // is the keeper of what has to be sent before the tests.
  constructor(root, { onDrawn, onAlone = () => {}, after }) {
    Object.assign(this, { root, onDrawn, onAlone });
    this.said = root.querySelector("[data-board-said]");
    this.lanes = root.querySelector("[data-lanes]");
    this.shown = null;
    this.shape = ""; // what the plan depends on, as it was when last asked for
    this.takeOrder();
    this.heard = { onDrawn: (bench) => this.drawn(bench), onClosed: (bench, page) => this.closed(bench, page), after };
    this.benches = [...root.querySelectorAll("[data-stream]")].map((each) => new Bench(each, this.heard));
    root.addEventListener("click", (event) => this.choose(event.target.closest("[data-chip]")));
    window.addEventListener("resize", () => {
      this.shape = "";
      this.plan();
    });
    wire(() => this.shown);
  }

  start() {
    const asked = this.benches.find((bench) => `#${bench.given.stream}` === window.location.hash);
    if (this.benches.length) this.show(asked ?? this.benches.toSorted((a, b) => this.place(a) - this.place(b))[0]);
    for (const bench of this.benches) bench.start();
    window.setInterval(() => this.tick(), 500);
    this.showAllDone();
  }

  // One more test, which was not planned.
  add(article) {
    const bench = new Bench(article, this.heard);
    this.benches.push(bench);
    bench.root.hidden = true;
    bench.start();
    if (!this.shown) this.show(bench);
    return bench;
  }

  tick() {
    for (const bench of this.benches) if (bench.now) this.look(bench);
    this.bringForward();
    this.moveNow();
  }

  // What a test is about is told once a look; what is shown and brought forward goes by that.
  look(bench) {
    bench.state = stateOf(bench);
    this.showChip(bench);
  }

  chipOf(bench) {
    return this.root.querySelector(`[data-chip="${bench.given.stream}"]`);
  }

  nameOf(bench) {
    return this.chipOf(bench)?.querySelector("b").textContent ?? bench.given.parts[0].parameter;
  }

  // ---- which test is shown -----------------------------------------------------------------------------------------

  show(bench) {
    const changed = this.shown && this.shown !== bench;
    this.shown = bench;
    for (const each of this.benches) each.root.hidden = each !== bench;
    showSwitch(bench.given.family);
    for (const each of this.benches) this.chipOf(each)?.setAttribute("aria-pressed", String(each === bench));
    if (!changed) return;
    window.scrollTo({ top: 0 });
    tell("changed test", this.nameOf(bench));
    speak(this.nameOf(bench));
  }

  choose(chip) {
    if (!chip) return;
    const bench = this.benches.find((each) => each.given.stream === chip.dataset.chip);
    if (bench.done) window.location.assign(bench.page);
    else this.show(bench);
  }

  place(bench) {
    const at = this.order.indexOf(bench.given.stream);
    return at < 0 ? this.benches.length + this.benches.indexOf(bench) : at;
  }

  // What may be gone on with now: what presses first, then as planned; a test that waits for its clock is not among it.
  next() {
    const open = this.benches.filter((bench) => bench.state && !RESTS.includes(bench.state.kind));
    const pressing = (bench) => ({ due: 0, between: 1 })[bench.state.kind] ?? 2;
    return open.sort((a, b) => pressing(a) - pressing(b) || this.place(a) - this.place(b))[0] ?? null;
  }

  // The hands are free where the test that is shown waits or is done; never in the middle of a count or a reading, and not
  // while a slow store has yet to tell where it stands.
  bringForward() {
    const { shown } = this;
    const free = !shown || RESTS.includes(shown.state?.kind);
    const next = this.next();
    if (free && next && next !== shown) this.show(next);
    const due = this.benches.filter((bench) => bench !== this.shown && bench.state?.kind === "due");
    const words = due.map((bench) => `${this.nameOf(bench)}: ${bench.state.words}`).join(" · ");
    if (this.said.textContent === words) return;
    this.said.textContent = words;
    tell("clock board", words);
    speak(words);
  }

  // A step is done: a test whose time runs out comes forward before the next one is begun.
  afterStep(bench, before) {
    const due = this.benches.find((each) => each !== bench && each.state?.kind === "due" && each.state.presses);
    const { kind, inHand } = bench.state;
    if (before !== undefined && bench.before !== before && due && kind === "doing" && !inHand) this.show(due);
  }

  // ---- drawing -----------------------------------------------------------------------------------------------------

  drawn(bench) {
    const { before } = bench;
    bench.before = bench.now.run ? bench.determination.present(bench.now) : null;
    this.look(bench);
    if (this.shown === bench) this.afterStep(bench, before);
    this.bringForward();
    this.showAllDone();
    this.plan();
    this.onDrawn(this.benches);
  }

  showChip(bench) {
    const chip = this.chipOf(bench);
    if (!chip) return;
    const { state } = bench;
    const place = chip.querySelector("[data-chip-state]");
    if (place.textContent !== state.words) place.textContent = state.words;
    chip.className = `test-chip ${state.kind}`;
    chip.querySelector("[data-chip-until]")?.toggleAttribute("hidden", state.kind !== "fresh");
  }

  closed(bench, page) {
    bench.done = bench.one("[data-outcome] .result")?.textContent.trim().replaceAll(/\s+/g, " ") || "done";
    bench.page = page;
    bench.root.hidden = true;
    this.drawn(bench);
    if (this.benches.length === 1 && !this.lanes) this.onAlone(page);
  }

  // Written down is done with, whether or not it is sent yet.
  get left() {
    return this.benches.filter((bench) => !["closing", "done"].includes(bench.state?.kind));
  }

  showAllDone() {
    this.root.querySelector("[data-all-done]").hidden = this.left.length > 0 || Boolean(this.root.querySelector("[data-refused-test]"));
  }

  // ---- the plan ----------------------------------------------------------------------------------------------------

  // Planned anew where a step, a clock or a run has changed, by what the server has; without a signal the last plan stands. What
  // is not to be seen has no width to be drawn for.
  plan() {
    const { benches, lanes } = this;
    if (!lanes?.clientWidth || benches.some((bench) => !bench.now || bench.keeper.waiting.size)) return;
    const shape = JSON.stringify(benches.map((bench) => [bench.done, bench.before, Object.keys(bench.now.run?.state.clocks ?? {}).length, bench.now.samples.length, bench.now.counted.length]));
    if (shape === this.shape) return;
    this.shape = shape;
    this.askLanes();
  }

  async askLanes() {
    try {
      const drawn = await partOfPage(`${this.root.dataset.lanesAt}?width=${Math.floor(this.lanes.clientWidth - 32)}`);
      const open = this.lanes.querySelector("details")?.open ?? false;
      this.lanes.innerHTML = drawn;
      this.lanes.querySelector("details").open = open;
      this.takeOrder();
      this.bringForward();
    } catch {
      this.shape = "";
    }
  }

  // The streams of the tests, in the order in which they are attended next, as last planned.
  takeOrder() {
    const words = this.lanes?.querySelector("[data-order]");
    this.order = words?.dataset.order.split(" ").filter(Boolean) ?? [];
    this.drawnAt = Date.now();
    if (words) this.root.querySelector("[data-lanes-words]").replaceChildren(...words.cloneNode(true).childNodes);
  }

  moveNow() {
    const line = this.lanes?.querySelector("[data-now]");
    if (!line) return;
    line.dataset.x ??= line.getAttribute("transform").match(/[\d.]+/)[0];
    const minutes = (Date.now() - this.drawnAt) / 60000;
    line.setAttribute("transform", `translate(${Number(line.dataset.x) + minutes * Number(line.dataset.minute)} 0)`);
  }
}
