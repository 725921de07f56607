// What this browser keeps of taps, by the visit or test they belong to.

export function asked(request) {
  return new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
}

export async function openStore() {
  const opening = indexedDB.open("kessa-kept", 1);
  opening.onupgradeneeded = () => opening.result.createObjectStore("taps", { keyPath: "id" }).createIndex("stream", "stream");
  return asked(opening);
}

export const keptOf = (store, stream) => asked(store.transaction("taps").objectStore("taps").index("stream").getAll(stream));
export const allKept = (store) => asked(store.transaction("taps").objectStore("taps").getAll());
export const writing = (store, options) => store.transaction("taps", "readwrite", options).objectStore("taps");
