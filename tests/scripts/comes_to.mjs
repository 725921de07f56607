// Says what the page makes of cases on standard input: by reading, by runs of one sample, by number.

import { readFileSync } from "node:fs";

const { comesTo, concluded, countComesTo, stepsOn, verdictOn, writtenAs } = await import("../../kessa/pages/bench/calculation.js");
const { deserved, plain } = await import("../../kessa/pages/base/numbers.js");

const { tests, numbers } = JSON.parse(readFileSync(0));
const found = tests.map(({ told, runs }) =>
  runs.map((raws) => {
    const read = raws.map((raw) => ("count" in raw ? countComesTo(told, raw, raw.took ?? 0, raw.off ?? 0) : comesTo(told, raw)));
    if (read.some((each) => each === null)) return null;
    const result = writtenAs(told, concluded(told, read));
    return { ...result, verdict: verdictOn(told, result, result.state), steps: stepsOn(told, result, result.state), written: [result.value, result.low].map(deserved(result.low, result.high)) };
  }),
);
process.stdout.write(JSON.stringify({ tests: found, numbers: numbers.map(plain) }));
