// What a screen reader is told: what changed, then how things stand, once; a clock at its marks; what waits only where it goes on waiting.

import assert from "node:assert/strict";
import { mock, test } from "node:test";
import { page } from "./browser.js";

page();
const { atMark, tell } = await import("../../kessa/pages/base/announcer.js");
const { showSaved } = await import("../../kessa/pages/bench/keys.js");

// A page whose live region is written down as it changes.
function listened() {
  page();
  const said = [];
  const saved = { classList: { toggle: () => {} } };
  const heard = { set textContent(words) { said.push(words); }, replaceChildren: () => said.push("") };
  document.querySelector = (selector) => (selector === "[data-saved]" ? saved : heard);
  return said;
}

test("what changed is heard before how things stand, and what comes quickly one after another once", () => {
  const said = listened();
  for (const count of [1, 2, 3]) {
    tell("stands", "Begun");
    tell("changed", `${count} drops`);
  }
  mock.timers.tick(400);
  tell("stands", "Begun");
  tell("changed", "3 drops");
  mock.timers.tick(2999);
  tell("fault", "");
  assert.deepEqual(said, ["3 drops. Begun."]);
  mock.timers.tick(1);
  tell("changed", "4 drops");
  tell("changed", "");
  mock.timers.tick(400);
  assert.deepEqual(said, ["3 drops. Begun.", ""]);
});

test("a clock is heard at its marks", () => {
  const marks = (whole, ...left) => left.map((seconds) => atMark(seconds * 1000, whole * 1000));
  assert.deepEqual(marks(240, 240, 61, 60, 11, 10, 1, 0, -5), ["running", "running", "1 minute left", "1 minute left", "10 seconds left", "10 seconds left", "now", "now"]);
  assert.deepEqual(marks(60, 60, 30, 10), ["running", "running", "10 seconds left"]);
});

test("a tap that is kept at once is not spoken of, one that goes on waiting is, and that it waits no more", () => {
  const said = listened();
  const waiting = (many) => showSaved([{ waiting: { size: many } }]);
  for (const many of [1, 0, 2, 0]) {
    waiting(many);
    mock.timers.tick(1000);
  }
  assert.deepEqual(said, []);
  for (const many of [1, 2, 0]) {
    waiting(many);
    mock.timers.tick(3400);
  }
  assert.deepEqual(said.filter(Boolean), ["Taps wait on this phone.", "All readings saved."]);
});
