// A phone that changes hands shows and keeps nothing of the person before, but for taps that still wait: they stay safe.

import { forgetAlong } from "./offline-list.js";
import { person } from "./tap-requests.js";
import { allKept, forget, openClocks, openStore } from "./store.js";

const PERSON = "kessa-person";
const SINCE = "kessa-since";

async function forgetFormer() {
  await forgetAlong();
  await (await openClocks()).clear("clocks");
  const store = await openStore();
  await forget(store, (await allKept(store)).filter((tap) => tap.sent).map((tap) => tap.id));
}

function isAnother(now) {
  try {
    const former = localStorage.getItem(PERSON);
    localStorage.setItem(PERSON, now);
    if (former !== now) localStorage.setItem(SINCE, new Date().toISOString());
    return former !== null && former !== now;
  } catch {
    return false;
  }
}

// Since when the phone is in the hands of who is signed in on it.
export function signedInAt() {
  try {
    return localStorage.getItem(SINCE) ?? "";
  } catch {
    return "";
  }
}

// Who signs out leaves nothing to see: it is gone before they are.
document.addEventListener("submit", async (event) => {
  if (!event.target.matches("[data-sign-out]")) return;
  event.preventDefault();
  await forgetFormer().catch(() => {});
  event.target.submit();
});

// Settled once nothing of anybody else is left; what draws from this browser's own memory waits for it.
export const handedOver = person() && isAnother(person()) ? forgetFormer().catch(() => {}) : Promise.resolve();
