// A phone for the walks of tests/app/test_walks.py: the app's own keeper, outbox and store, against a real server. It takes
// one command a line, as JSON, and answers each with a line. What it keeps outlives a reload, as a browser's store does.

import { createInterface } from "node:readline";
import { openDB } from "./browser.js";

const asked = globalThis.fetch;
const phone = { cookie: "", signal: true, person: null, pages: 0, server: process.argv[2] };
globalThis.document = { hidden: false, cookie: "", title: "The brook", querySelectorAll: () => [], querySelector: () => null, addEventListener: () => {}, dispatchEvent: () => {} };
globalThis.window = { addEventListener: () => {}, setTimeout: () => 0, clearTimeout: () => {}, setInterval: () => 0 };
const remembered = new Map();
globalThis.localStorage = { getItem: (name) => remembered.get(name) ?? null, setItem: (name, value) => remembered.set(name, String(value)), removeItem: (name) => remembered.delete(name) };

globalThis.fetch = (address, how) => {
  if (!phone.signal) return Promise.reject(new TypeError("no signal"));
  return asked(`${phone.server}${address}`, { ...how, headers: { ...how.headers, Cookie: phone.cookie, Origin: phone.server } });
};

const { Keeper, newId } = await import("../../kessa/pages/base/tap-queue.js");
const { goingOn, isTakenOver, lentOf, takerOf, tapped } = await import("../../kessa/pages/offline/visit-leader.js");
const { endTaps, sendWaiting } = await import("../../kessa/pages/base/outbox.js");
const { allKept, openStore } = await import("../../kessa/pages/base/store.js");
const { itWasMe, itWasNotMe, tappedInMyName } = await import("../../kessa/pages/phone/in-your-name.js");
const { uuid5 } = await import("../../kessa/pages/offline/uuid5.js");
const { sealed } = await import("../../kessa/pages/offline/pin.js");

const made = []; // every tap, and whose hand it was
let keeper = null;
let test = null; // of the last sample, as it stands on the visit's page
let given = null;

const taker = () => takerOf(keeper, given.me);

function add(run, kind, data, hand, to = keeper) {
  to.lent = lentOf(keeper, given.me);
  const tap = to.add(run, kind, data);
  made.push({ id: tap.id, kind, hand, lent: Boolean(to.lent) });
}

const opened = (of, stream, more) => new Keeper({ stream, address: `/taps/${of}/${stream}/`, whose: given.whose, taps: [], onChange: () => {}, onClosed: () => {}, onTrouble: () => {}, ...more });

// Until all that can be sent is: what had to wait is tried once more.
async function sent() {
  for (const each of [keeper, test, keeper, test].filter(Boolean)) {
    while (each.busy) await new Promise(setImmediate);
    each.release();
    while (each.busy) await new Promise(setImmediate);
  }
}

// The test of the sample drawn last, where one was, as the page takes it up.
async function takeUpTest() {
  const sample = tapped(keeper, "sample_drawn").at(-1)?.data.sample;
  test = sample ? opened("bench", await uuid5(sample, "chloride-drops"), { begin: true, after: keeper }) : null;
  await test?.start();
}

const commands = {
  // Another walk, on a phone that keeps nothing yet.
  async new() {
    for (const name of ["kessa-kept", "kessa-clocks"]) await (await openDB(name)).clear();
    remembered.clear();
    made.length = 0;
    keeper = test = null;
    phone.signal = true;
  },
  signal({ on }) {
    phone.signal = on;
  },
  // Another person's sign-in, or nobody's any more: what waits is kept safe whatever happens to the rest.
  async session({ cookie, person, leaves }) {
    phone.cookie = document.cookie = cookie;
    if (leaves) keeper = test = null;
    if (!leaves && !person) return;
    phone.person = person;
    document.querySelector = (selector) => (selector.includes("kessa-person") && person ? { content: String(person) } : null);
    phone.pages += 1;
    const { handedOver } = await import(`../../kessa/pages/base/handover.js?page=${phone.pages}`);
    await handedOver;
  },
  // The page of a visit, as of the person who took it along: what is kept of the visit goes on.
  async open(page) {
    given = page;
    const keptHere = (await allKept(await openStore())).filter((tap) => !tap.refused);
    const stream = goingOn(keptHere, given) ?? newId();
    keeper = opened("visit", stream, { begin: true });
    await keeper.start();
    await takeUpTest();
    if (!keeper.taps.size) add("", "visit_begun", { place: given.place, safety: given.safety }, given.me);
    await sent();
  },
  // A visit that was begun on another phone, opened from the server.
  async join({ stream, ...page }) {
    given = page;
    keeper = opened("visit", stream);
    await keeper.start();
    await takeUpTest();
    await sent();
  },
  // A sample is drawn, and its test begins with its first tap.
  async draw({ hand }) {
    add("", "sample_drawn", { place: given.place, sample: newId(), at: new Date().toISOString() }, hand);
    await takeUpTest();
    await sent();
  },
  async test({ run, kind, data, hand }) {
    // What was drawn after the visit had closed is no sample of it.
    const sample = tapped(keeper, "sample_drawn").at(-1)?.data.sample;
    if (!test || !sample) return;
    if (!test.taps.size) add("", "test_begun", { sample, method: "chloride-drops-25", dilution: 1 }, hand, test);
    add(run, kind, data, hand, test);
    await sent();
  },
  async tap({ run, kind, data, hand }) {
    add(run, kind, data, hand);
    await sent();
  },
  async pin({ pin, hand, right }) {
    if (taker() === given.me || isTakenOver(keeper)) return;
    const after = tapped(keeper, "handed_over").at(-1).id;
    add("", "took_over", { taker: taker(), pin: await sealed(pin, given.sealing_key, `${keeper.stream} ${taker()}`) }, hand);
    Object.assign(made.at(-1), { right, after, taker: taker() });
    await sent();
  },
  async elsewhere() {
    await sendWaiting();
  },
  // Who is signed in says of what waits in their name whether it was them.
  async mine() {
    for (const taps of await tappedInMyName()) {
      const hands = taps.map((tap) => made.find(({ id }) => id === tap.id).hand);
      if (hands.every((hand) => hand === phone.person)) {
        const { id, kind } = await itWasMe(taps);
        made.push({ id, kind, hand: phone.person });
      }
      else if (await itWasNotMe(taps).then(() => true, () => false)) for (const { id } of taps) ended(id);
    }
    await sendWaiting();
  },
  async mend({ data }) {
    for (const tap of (await allKept(await openStore())).filter((each) => each.refused)) {
      const instead = data && tap.kind === "observed" ? { ...tap, refused: undefined, id: newId(), data } : null;
      if (!(await endTaps([tap], "as it was", instead).then(() => true, () => false))) continue;
      if (instead) made.push({ ...made.find(({ id }) => id === tap.id), id: instead.id });
      ended(tap.id);
    }
    await sendWaiting();
  },
};

const ended = (id) => Object.assign(made.find((tap) => tap.id === id), { ended: true });

async function stands() {
  const kept = await allKept(await openStore());
  const of = (wanted) => kept.filter(wanted).map((tap) => tap.id);
  return { made, sent: of((tap) => tap.sent), waiting: of((tap) => !tap.sent && !tap.refused), refused: of((tap) => tap.refused), stream: keeper?.stream ?? null, page: keeper ? given.me : null, taker: keeper ? taker() : null, took: Boolean(keeper && lentOf(keeper, given.me)) };
}

for await (const line of createInterface({ input: process.stdin })) {
  const { command, ...said } = JSON.parse(line);
  let fault = null;
  try {
    await commands[command](said);
  } catch (failure) {
    fault = failure.stack;
  }
  console.log(JSON.stringify({ fault, ...(await stands()) }));
}
