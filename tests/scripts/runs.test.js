// The page derives a run as the core does: both are held to the same cases.

import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import "./browser.js";

const { deriveRun } = await import("../../kessa/web/static/js/run-state.js");

for (const { name, most, parts, events, state } of JSON.parse(readFileSync(new URL("../run_cases.json", import.meta.url))))
  test(name, () => {
    const at = (second) => `2026-11-23T09:00:${String(second).padStart(2, "0")}.000Z`;
    const written = events.map(([id, kind, seq, second, data = {}]) => ({ id, kind, seq, at: at(second), data }));
    const derived = deriveRun(written, most, parts);
    assert.deepEqual({ ...derived, steps: [...derived.steps].sort() }, state);
  });
