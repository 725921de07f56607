// Keeps what a person has open or has taken along, and what it is made of, so that it opens again without a signal.

const PAGES = "kessa-pages";
// What pages are made of, which is nobody's: it stays when the phone changes hands.
const MADE_OF = "kessa-shell";
const SHELL = [{% for address in shell %}"{{ address|escapejs }}"{% if not forloop.last %}, {% endif %}{% endfor %}];
const UUID = "[0-9a-f]{8}-[0-9a-f-]{27}";
const KEPT = new RegExp(`^/(((bench|bench/visit|visits)/${UUID}/(circumstances/)?)|visits/along/[0-9]+/([a-z0-9-]+/)?|visits/along/check/[a-z0-9-]+/|today/(pack/[0-9]+/)?|more/|phone/|actions/emergency/)$`);
const SIGN_IN = "{% url 'account_login' %}";
// Work that is under way goes on though the session ended: what is tapped waits until somebody signs in.
const WORK = new RegExp(`^/(((bench|bench/visit|visits)/${UUID}/)|visits/along/)`);
const NOT_ALONG = "{% url 'not_along' %}";
// With so weak a signal, what is kept comes first.
const PATIENCE = 3000;

self.addEventListener("install", (event) => {
  event.waitUntil(caches.open(MADE_OF).then((cache) => cache.addAll([...SHELL, NOT_ALONG])));
  self.skipWaiting();
});
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

async function fetched(request, kept) {
  const asked = fetch(request);
  if (!kept) return asked;
  const late = new Promise((_, refuse) => setTimeout(() => refuse(new Error("no signal")), PATIENCE));
  asked.catch(() => {});
  return Promise.race([asked, late]);
}

// Where one is led on to, and null where nowhere: of a page that is opened the answer itself does not say it.
async function leadsTo(answer, request) {
  if (answer.type !== "opaqueredirect" && !answer.redirected) return null;
  const { url } = answer.redirected ? answer : await fetch(request.url, { credentials: "same-origin" });
  return new URL(url).pathname;
}

async function fresh(request, name) {
  const cache = await caches.open(name);
  const kept = await cache.match(request.url);
  try {
    const answer = await fetched(request, kept);
    if (!kept && answer.type === "opaqueredirect") return answer;
    const led = await leadsTo(answer, request);
    if (led === SIGN_IN) return kept && WORK.test(new URL(request.url).pathname) ? kept : answer;
    // Another redirect means that the page is no longer this one: what it is about is closed.
    if (answer.ok && !led) await cache.put(request.url, answer.clone());
    // A newer Kessa has other files: a page that was taken along goes on with its own.
    else if (kept && name === MADE_OF) return kept;
    else if (led || answer.status === 404) await cache.delete(request.url);
    if (answer.status >= 500) return kept || answer;
    return answer;
  } catch (failure) {
    if (kept) return kept;
    throw failure;
  }
}

// What does not come: a visit that was taken along begins there; else it is said in our words.
async function elsewhere(request) {
  const { pathname } = new URL(request.url);
  const along = pathname.replace("/visits/begin/", "/visits/along/");
  if (along !== pathname && (await (await caches.open(PAGES)).match(along))) return Response.redirect(along);
  return (await (await caches.open(MADE_OF)).match(NOT_ALONG)) || Response.error();
}

self.addEventListener("fetch", (event) => {
  const address = new URL(event.request.url);
  if (event.request.method !== "GET" || address.origin !== self.location.origin) return;
  const isPage = event.request.mode === "navigate";
  const isMadeOf = address.pathname.startsWith("/static/");
  if (isMadeOf || KEPT.test(address.pathname)) {
    const answer = fresh(event.request, isMadeOf ? MADE_OF : PAGES);
    event.respondWith(isPage ? answer.catch(() => elsewhere(event.request)) : answer);
  } else if (isPage) event.respondWith(fetch(event.request).catch(() => elsewhere(event.request)));
});
