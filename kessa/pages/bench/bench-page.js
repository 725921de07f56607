// The page of one test: fingers and keys, and the way to the log.

import { Bench } from "./bench.js";
import { showSaved, wire } from "./keys.js";

// A closed determination is the log's: this page need not open again without a signal. Nobody waits long for that.
async function closed(_, page) {
  const gone = "caches" in window && caches.open("kessa-pages").then((pages) => pages.delete(window.location.href));
  await Promise.race([gone, new Promise((over) => setTimeout(over, 1000))]).catch(() => {});
  window.location.assign(page);
}

const bench = new Bench(document.querySelector("[data-stream]"), { onDrawn: () => showSaved([bench.keeper]), onClosed: closed });
wire(() => bench);
bench.start();
