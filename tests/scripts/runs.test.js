// The page derives a run as the core does: both are held to the same cases.

import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import "./browser.js";

const { parted } = await import("../../kessa/pages/bench/parted.js");
const { deserved, read } = await import("../../kessa/pages/base/numbers.js");
const { DO, HOLDS, IS, deriveRun } = await import("../../kessa/pages/bench/run-state.js");
const { RULES } = await import("../../kessa/pages/bench/run-rules.js");

for (const { name, most, parts, events, state } of JSON.parse(readFileSync(new URL("../run_cases.json", import.meta.url))))
  test(name, () => {
    const at = (second) => `2026-11-23T09:00:${String(second).padStart(2, "0")}.000Z`;
    const written = events.map(([id, kind, seq, second, data = {}]) => ({ id, kind, seq, at: at(second), data }));
    const derived = deriveRun(written, most, parts);
    assert.deepEqual({ ...derived, steps: [...derived.steps].sort() }, state);
  });

for (const { name, runs, parted: wanted } of JSON.parse(readFileSync(new URL("../parted_cases.json", import.meta.url))))
  test(name, () => {
    const written = (events) => events.map(([id, kind, seq, second, data, device]) => ({ id, kind, seq, at: `2026-11-23T09:00:0${second}.000Z`, data, device }));
    const found = parted(new Map(Object.entries(runs).map(([run, events]) => [run, written(events)])));
    assert.deepEqual(Object.fromEntries([...found].map(([run, { events }]) => [run, events.map(({ id }) => id)])), wanted);
  });

for (const [typed, number] of JSON.parse(readFileSync(new URL("../number_cases.json", import.meta.url)))) test(`typed “${typed}”`, () => assert.equal(read(typed), number));

test("every word of the table is known", () => {
  const rows = Object.values(RULES.transitions).flat();
  const words = (of) => [...new Set(rows.flatMap((row) => row[of]))].sort();
  assert.deepEqual([words("when"), words("do"), [...RULES.finished].sort()], [HOLDS, DO, IS].map((known) => Object.keys(known).sort()));
});

test("half a width that begins with 1 has two digits", () => {
  assert.deepEqual([deserved(8.75, 11.25)(10), deserved(5.1, 6.4)(5.775), deserved(0.18, 0.22)(0.2)], ["10.0", "5.8", "0.20"]);
});
