// Taps that still wait from a page that was closed are sent from whichever page is opened next.

import { asked, BATCH, openStore, post } from "./keeper.js";

async function sendWaiting() {
  const store = await openStore();
  const taps = await asked(store.transaction("taps").objectStore("taps").getAll());
  const waiting = taps.filter((tap) => !tap.sent).sort((a, b) => a.seq - b.seq);
  for (const determination of new Set(waiting.map((tap) => tap.determination))) {
    const batch = waiting.filter((tap) => tap.determination === determination).slice(0, BATCH);
    const reply = await post(batch[0].address ?? `/bench/${determination}/events/`, batch, 0);
    // What is late or refused has been answered for too: the log says so, and nothing is gained by sending it again.
    const answered = new Set([...reply.kept, ...reply.refused.map(([id]) => id)]);
    const kept = store.transaction("taps", "readwrite").objectStore("taps");
    for (const tap of batch) if (answered.has(tap.id)) kept.put({ ...tap, sent: true });
  }
}

// Without a signal, or signed in to another team, they go on waiting; the bench page says so when it is opened.
sendWaiting().catch(() => {});
