// What this browser keeps of taps, by the visit or test they belong to.

import { openDB } from "./vendor/idb/index.js";

export const openStore = () => openDB("kessa-kept", 1, { upgrade: (store) => store.createObjectStore("taps", { keyPath: "id" }).createIndex("stream", "stream") });
export const openClocks = () => openDB("kessa-clocks", 1, { upgrade: (store) => store.createObjectStore("clocks", { keyPath: "stream" }) });
export const keptOf = (store, stream) => store.getAllFromIndex("taps", "stream", stream);
export const allKept = (store) => store.getAll("taps");

// Who shows what is kept hears of each change.
const changed = (taps) => document.dispatchEvent(new CustomEvent("kessa:kept", { detail: taps }));

// What was refused is mended or dropped by somebody, and not sent again as it is.
export const toBeSent = (tap) => !tap.sent && !tap.refused;

export async function put(store, taps, options) {
  const writing = store.transaction("taps", "readwrite", options);
  const written = taps.map((tap) => writing.store.put(tap));
  // At once, not when each is answered for: a page that closes in between takes what is not committed with it.
  writing.commit();
  await Promise.all([...written, writing.done]);
  changed(taps);
}

export async function forget(store, ids) {
  const writing = store.transaction("taps", "readwrite");
  await Promise.all([...ids.map((id) => writing.store.delete(id)), writing.done]);
  changed([]);
}
