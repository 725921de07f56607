// Today takes along what is due for the person, while there is a signal.

const said = document.querySelector("[data-taken-along]");
const MOST = 12;
const FRESH = 10 * 60 * 1000;

// A page as it is along: one of a while ago is asked for anew; null where there is none to be had.
async function taken(cache, address) {
  const kept = await cache.match(address);
  if (kept && Date.now() - Date.parse(kept.headers.get("date")) <= FRESH) return kept;
  const answer = await fetch(address, { credentials: "same-origin" });
  if (!answer.ok || answer.redirected) return null;
  await cache.put(address, answer.clone());
  return answer;
}

// What else can be tested there: each test is a part of the page of its own.
async function besides(cache, kept) {
  const addresses = [...(await kept.clone().text()).matchAll(/data-at="([^"]+)"/g)].map(([, address]) => address);
  const parts = [];
  for (const address of addresses) parts.push(await taken(cache, address));
  return parts.filter(Boolean);
}

async function take() {
  const cache = await caches.open("kessa-pages");
  const due = [...document.querySelectorAll("[data-mine] a[href^='/visits/begin/'], a.first[href^='/visits/begin/']")].map((link) => new URL(link.href).pathname.replace("begin", "along"));
  // Where it is told what is along, also without a signal.
  await taken(cache, "/phone/");
  let size = 0;
  let places = 0;
  for (const address of [...new Set(due)].slice(0, MOST)) {
    const kept = await taken(cache, address);
    if (!kept) continue;
    places += 1;
    for (const part of [kept, ...(await besides(cache, kept))]) size += (await part.blob()).size;
  }
  if (places) said.textContent = `Along without a signal: ${places} place${places === 1 ? "" : "s"}, ${Math.ceil(size / 1000)} kB.`;
}

if (said && "caches" in window) {
  navigator.storage?.persist?.();
  // The page itself comes first.
  window.setTimeout(() => take().catch(() => {}), 2000);
}
