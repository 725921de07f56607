// Keeps the bench and visit pages a person has open, and what it is made of, so that it opens again without a signal.

const PAGES = "kessa-pages";
const SHELL = [{% for address in shell %}"{{ address|escapejs }}"{% if not forloop.last %}, {% endif %}{% endfor %}];
const KEPT = /^\/(bench|bench\/visit|visits)\/[0-9a-f]{8}-[0-9a-f-]{27}\/(circumstances\/)?$/;

self.addEventListener("install", (event) => {
  event.waitUntil(caches.open(PAGES).then((cache) => cache.addAll(SHELL)));
  self.skipWaiting();
});
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

async function fresh(request) {
  const cache = await caches.open(PAGES);
  try {
    const answer = await fetch(request);
    // A redirect means that the page is no longer this one: signed out, or closed.
    if (answer.ok && !answer.redirected) await cache.put(request.url, answer.clone());
    else if (answer.redirected || answer.status === 404) await cache.delete(request.url);
    if (answer.status >= 500) return (await cache.match(request.url)) || answer;
    return answer;
  } catch (failure) {
    const kept = await cache.match(request.url);
    if (kept) return kept;
    throw failure;
  }
}

self.addEventListener("fetch", (event) => {
  const address = new URL(event.request.url);
  if (event.request.method !== "GET" || address.origin !== self.location.origin) return;
  if (KEPT.test(address.pathname) || address.pathname.startsWith("/static/")) event.respondWith(fresh(event.request));
});
