// What a tap says, in words, for who has to mend it.

const KINDS = {
  visit_begun: "Visit begun",
  observed: "",
  note_written: "Note",
  sample_drawn: "Sample",
  paused: "Visit paused",
  resumed: "Visit resumed",
  handed_over: "Visit handed over",
  took_over: "Visit taken over, with a PIN",
  visit_closed: "Visit closed",
  test_begun: "Test begun",
  drop_added: "A drop",
  began_to_turn: "Began to turn",
  end_called: "End called",
  step_done: "Step done",
  timer_started: "Clock started",
  reading_taken: "Reading",
  answered: "Answer",
  taken_back: "Taken back",
  voided: "Run void",
  closed: "Test closed",
};
const SIGNS = { "uS/cm": "µS/cm", "ug/L": "µg/L", degC: "°C", degF: "°F" };
const plainly = (key) => key.replaceAll("_", " ").replaceAll("-", " ");

// What was typed of a tap, by where it stands in it: numbers and words, which can be corrected.
const TYPED = { observed: ["value", "unit"], reading_taken: ["reading"], answered: ["value"], note_written: ["text"], visit_closed: ["remark"], sample_drawn: ["depth_cm", "water_temperature_c"] };

export function typed({ kind, data }) {
  const written = (path, value) => (["number", "string"].includes(typeof value) ? [{ path, name: plainly(path.at(-1)), value }] : []);
  return (TYPED[kind] ?? []).flatMap((key) => (key === "reading" ? Object.entries(data.reading).flatMap(([name, value]) => written([key, name], value)) : written([key], data[key])));
}

export function tapWords(tap) {
  const kind = KINDS[tap.kind] ?? plainly(tap.kind);
  const what = tap.kind === "observed" ? plainly(tap.run) : kind;
  const said = tap.kind === "observed" ? [tap.data.value, SIGNS[tap.data.unit] ?? tap.data.unit] : tap.kind === "reading_taken" ? Object.values(tap.data.reading ?? {}) : [tap.data.value, tap.data.text, tap.data.remark];
  const shown = said.filter((each) => ["number", "string"].includes(typeof each) && each !== "").join(" ");
  return shown ? `${what[0].toUpperCase()}${what.slice(1)}: ${shown}` : what;
}
