// Taps that still wait from a page that was closed are sent from whichever page is opened next.

import { openDB } from "./vendor/idb/index.js";
import { BATCH, fates, outgoing, person, post, postForm, postJson } from "./tap-requests.js";
import { allKept, forget, openStore, put, toBeSent } from "./store.js";

const [FIRST, LONGEST] = [5_000, 300_000];

// What one stream's server refuses or does not know must not hold up the others.
async function sendStream(store, taps) {
  for (let at = 0; at < taps.length; at += BATCH) {
    const batch = taps.slice(at, at + BATCH);
    const reply = await post(batch[0].address, batch, 0);
    const { sent, refused, waiting } = fates(batch, reply);
    await put(store, [...sent, ...refused, ...waiting]);
  }
}

// In the order in which they were made; what others wait for before them.
const visitsFirst = (a, b) => Number("after" in a) - Number("after" in b) || a.seq - b.seq;

// Returns whether something was not sent.
export async function sendWaiting() {
  const store = await openStore();
  const waiting = (await allKept(store)).filter(toBeSent).sort(visitsFirst);
  const shown = [...document.querySelectorAll("[data-stream]")].map((each) => each.dataset.stream);
  const held = new Set();
  for (const stream of new Set(waiting.map((tap) => tap.stream))) {
    // The page of a stream sends its own.
    if (shown.includes(stream)) continue;
    // Without a signal, or signed in to another team, they go on waiting; their page says so when it is opened.
    const taps = waiting.filter((tap) => tap.stream === stream);
    // A test on a sample that is not sent yet waits for it.
    if (held.has(taps[0].after) || shown.includes(taps[0].after)) continue;
    await sendStream(store, taps).catch(() => held.add(stream));
  }
  return held.size > 0;
}

// End taps of one stream on this phone, with the reason, which is noted; `instead` is what was made of one of them.
export async function endTaps(taps, why, instead = null) {
  const { stream, address } = taps[0];
  await postJson("/taps/dropped/", { of: address.split("/")[2], stream, taps: taps.map(outgoing), instead: instead?.data ?? null, why });
  const store = await openStore();
  if (instead) await put(store, [instead]);
  await forget(store, taps.map((tap) => tap.id));
}

// ---- forms -----------------------------------------------------------------------------------------------------------

export const openForms = () => openDB("kessa-forms", 1, { upgrade: (store) => store.createObjectStore("forms", { keyPath: "order", autoIncrement: true }) });

// What is kept for the person who is signed in: what another kept on this phone waits for them.
export const keptForms = async (store) => (await store.getAll("forms")).filter((form) => form.person === person());

export async function keepForm(form) {
  await (await openForms()).add("forms", { ...form, person: person(), at: new Date().toISOString() });
}

let sending = null;

// Send what was filled in, in its order, one after another; returns {address, error} of what was answered for.
export async function sendForms() {
  await sending?.catch(() => {});
  sending = sendEach();
  return sending;
}

async function sendEach() {
  const store = await openForms();
  const waiting = new Set((await allKept(await openStore())).filter(toBeSent).map((tap) => tap.stream));
  const answers = [];
  for (const form of await keptForms(store)) {
    // A visit that the server does not know yet goes first.
    if (waiting.has(form.after)) continue;
    const answer = await postForm(form).catch(() => null);
    if (!answer) break;
    await store.delete("forms", form.order);
    answers.push({ address: form.address, error: answer.error });
  }
  return answers;
}

// Who stays on one page has what waits sent as well, as soon as the server can be reached.
export async function sendUntilSent(again = FIRST) {
  const unsent = await sendWaiting().catch(() => true);
  await sendForms().catch(() => {});
  if (unsent) window.setTimeout(sendUntilSent, again, Math.min(2 * again, LONGEST));
}
