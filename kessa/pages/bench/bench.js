// One test on the page: its method and rules, its taps, where it stands, and its part of the page.

import { countTest } from "./brief.js";
import { partOfPage } from "../base/tap-requests.js";
import { carryFocus, showTrouble } from "./keys.js";
import { Keeper } from "../base/tap-queue.js";
import { wireFields } from "./reading.js";
import { putOnShelf } from "../base/shelf.js";
import { show } from "./show.js";
import { showClocks } from "./show-clocks.js";
import { placeMore } from "./show-outcome.js";
import { DeterminationState } from "./determination-state.js";
import { offerShown } from "./instrument-readings.js";
import { speakOf } from "./voice.js";

export class Bench {
  // onDrawn(bench) after it was drawn anew; onClosed(bench, page) when it stands in the log; `after` is the keeper of what has
  // to be sent first.
  constructor(root, { onDrawn, onClosed, after }) {
    this.root = root;
    this.given = JSON.parse(root.querySelector("script[type='application/json']").textContent);
    this.determination = new DeterminationState(this.given);
    this.now = null; // where it stands: see DeterminationState.after
    this.opened = null; // the run the person chose to begin, until its first event
    this.states = this.given.states; // by part, what the server says the runs amount to
    this.outcomeOf = this.given.taps.length; // of how many taps the outcome is that the server said
    this.asked = null; // of how many taps it is asked for
    this.onDrawn = onDrawn;
    this.keeper = new Keeper({
      ...this.given,
      onChange: () => this.draw(),
      onClosed: (page) => {
        countTest(this.given.family);
        return putOnShelf(this.given.stream, this.given.place, this.given.here, []).then(() => onClosed(this, page));
      },
      onTrouble: (words) => showTrouble(this.one("[data-trouble]"), words),
      after,
    });
    wireFields(this);
    placeMore(this);
    // Of several instruments it is said by which, before the test begins.
    this.by = this.one("[data-by]");
    this.by?.addEventListener("change", () => {
      this.given.begin.instrument = this.by.value ? Number(this.by.value) : null;
      this.one("[data-by-none]")?.remove();
    });
  }

  start() {
    this.keeper.start();
    window.setInterval(() => this.now && showClocks(this), 500);
    offerShown(this);
  }

  one(selector) {
    return this.root.querySelector(selector);
  }

  all(selector) {
    return [...this.root.querySelectorAll(selector)];
  }

  // Whether the outcome that is shown is the server's, of all that was tapped.
  get isOutcomeSaid() {
    return this.outcomeOf === this.keeper.server.size && !this.keeper.waiting.size;
  }

  act(name) {
    return this.one(`[data-act=${name}]`);
  }

  choices() {
    return this.determination.choices(this.now, this.states);
  }

  draw() {
    if (this.by && !this.by.disabled) this.keepBy();
    this.now = { ...this.determination.after([...this.keeper.taps.values()], this.opened), waiting: this.keeper.waiting.size };
    const focused = this.root.contains(document.activeElement) ? document.activeElement : null;
    show(this);
    carryFocus(focused, () => this.one("li.now") ?? this.one("[data-between-title]"));
    speakOf(this);
    this.onDrawn(this);
    if (!this.now.run && this.now.counted.length) this.askOutcome();
  }

  // By which instrument a test is that has begun.
  keepBy() {
    const begun = [...this.keeper.taps.values()].find(({ kind }) => kind === "test_begun");
    if (begun) Object.assign(this.by, { value: begun.data.instrument ?? "", disabled: true });
  }

  tap(kind, data) {
    this.add(this.now.run.source, kind, data);
    this.opened = null;
  }

  // What has not begun begins with its first tap.
  add(run, kind, data) {
    if (this.given.begin && !this.keeper.taps.size) this.keeper.add("", "test_begun", this.given.begin);
    this.keeper.add(run, kind, data);
  }

  // What the runs come to is the server's to say: it is asked when it is shown, and when another tap has changed it.
  async askOutcome() {
    const known = this.keeper.server.size;
    if (known === this.asked || this.isOutcomeSaid || this.keeper.waiting.size) return;
    this.asked = known;
    try {
      const outcome = await partOfPage(this.given.outcome);
      this.outcomeOf = known;
      this.one("[data-outcome]").innerHTML = outcome;
      placeMore(this);
      const said = this.one("[data-states]").dataset.states.trim();
      this.states = Object.fromEntries(said ? said.split(";").map((each) => each.trim().split("=")) : []);
      this.draw();
    } catch {
      this.asked = null;
    }
  }
}
