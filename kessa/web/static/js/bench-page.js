// The page of one test: fingers and keys, and the way to the log.

import { Bench } from "./bench.js";
import { showSaved, wire } from "./hands.js";

// A closed determination is the log's: this page need not open again without a signal.
async function closed(_, page) {
  if ("caches" in window) await (await caches.open("kessa-pages")).delete(window.location.href);
  window.location.assign(page);
}

const bench = new Bench(document.querySelector("[data-stream]"), { onDrawn: () => showSaved([bench.keeper]), onClosed: closed });
wire(() => bench);
bench.start();
