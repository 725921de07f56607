// Places that are taken along, so that a visit to them needs no signal: what is due, and what was chosen by hand.

const PAGES = "kessa-pages";
// By the number of the place: its name, and whether a person chose it.
const WANTED = "kessa-along";
// Said without a signal too.
const ALWAYS = ["/phone/", "/actions/emergency/"];
const MOST = 12;
const FRESH = 10 * 60 * 1000;
const LONGEST = 120 * 1000;
// What cannot be had is not asked for all the time.
const TRIED = "kessa-along-tried";
const BETWEEN = 2 * 60 * 1000;

export const canTakeAlong = "caches" in window;
export const pages = () => caches.open(PAGES);
const addressOf = (place) => `/visits/along/${place}/`;

function wanted() {
  try {
    return JSON.parse(localStorage.getItem(WANTED)) ?? {};
  } catch {
    return {};
  }
}

function want(places) {
  localStorage.setItem(WANTED, JSON.stringify(places));
}

// What is due takes the place of what was due before; what was chosen stays.
export function wantDue(due) {
  const chosen = Object.entries(wanted()).filter(([, { by }]) => by === "hand");
  want({ ...Object.fromEntries(due.map(([place, name]) => [place, { name }])), ...Object.fromEntries(chosen) });
}

export const choose = (place, name) => want({ ...wanted(), [place]: { name, by: "hand" } });

// A place that is wanted no more takes its pages with it.
export async function leave(place) {
  const { [place]: _, ...others } = wanted();
  want(others);
  const cache = await pages();
  for (const { url } of await cache.keys()) if (new URL(url).pathname.startsWith(addressOf(place))) await cache.delete(url);
}

export async function forgetAlong() {
  localStorage.removeItem(WANTED);
  if (canTakeAlong) await caches.delete(PAGES);
}

const madeAt = (answer) => Date.parse(answer?.headers.get("date") ?? 0);
const isFresh = (answer) => Date.now() - madeAt(answer) <= FRESH;

// What is along of each place that is wanted: since when; `at` is null where it did not come.
export async function along() {
  const cache = await pages();
  return Promise.all(
    Object.entries(wanted()).map(async ([place, { name, by }]) => {
      const page = await cache.match(addressOf(place));
      return { place, name, by, at: page ? new Date(madeAt(page)) : null, address: addressOf(place) };
    }),
  );
}

// How many tests can be run at a place that is along: the planned ones on its page, and each other's part.
export async function testsAt(address) {
  const cache = await pages();
  const planned = (await (await cache.match(address)).text()).match(/data-family=/g)?.length ?? 0;
  const parts = (await cache.keys()).filter(({ url }) => new URL(url).pathname.startsWith(address));
  return planned + parts.length - 1;
}

// The pages of an answer in which nothing is said twice (kessa/pages/base/packed.py).
async function* unpacked(answer) {
  const pieces = [];
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
  for (let rest = "", end = false; !end; ) {
    const { done, value = "" } = await reader.read();
    const lines = (rest + value).split("\n");
    rest = lines.pop();
    end = done;
    for (const line of lines) {
      const [address, said] = JSON.parse(line);
      let text = "";
      for (const each of said ?? []) {
        if (typeof each === "string") pieces.push(each);
        text += typeof each === "string" ? each : pieces.slice(each[0], each[0] + each[1]).join("");
      }
      yield [address, said && text];
    }
  }
}

async function takePlaces(cache, places) {
  const answer = await fetch(`/visits/along/?${places.map((place) => `place=${place}`).join("&")}`, { credentials: "same-origin", signal: AbortSignal.timeout(LONGEST) });
  if (!answer.ok || answer.redirected) return;
  const own = new Set(places.map(addressOf));
  const told = new Set();
  const headers = new Headers(answer.headers);
  headers.set("Content-Type", "text/html; charset=utf-8");
  for (const name of ["Content-Encoding", "Content-Length", "Transfer-Encoding"]) headers.delete(name);
  const keep = (address, text) => {
    headers.set("Date", new Date().toUTCString());
    return cache.put(address, new Response(text, { headers }));
  };
  // A place is along once all its parts are: its page is kept after them.
  let page = null;
  const keepPage = async () => page?.[1] && keep(...page);
  for await (const [address, text] of unpacked(answer)) {
    told.add(address);
    if (own.has(address)) {
      if (text !== null) await keepPage();
      page = [address, text];
    } else await keep(address, text);
  }
  await keepPage();
  // Of what is no place of the team's any more nothing is told: it is wanted no longer.
  for (const place of places) if (!told.has(addressOf(place))) await leave(place);
}

async function takePage(cache, address) {
  if (isFresh(await cache.match(address))) return;
  const answer = await fetch(address, { credentials: "same-origin" });
  if (answer.ok && !answer.redirected) await cache.put(address, answer);
}

async function take() {
  localStorage.setItem(TRIED, String(Date.now()));
  const cache = await pages();
  const stale = [];
  for (const place of Object.keys(wanted())) if (!isFresh(await cache.match(addressOf(place)))) stale.push(place);
  for (const address of ALWAYS) await takePage(cache, address).catch(() => {});
  for (let from = 0; from < stale.length; from += MOST) await takePlaces(cache, stale.slice(from, from + MOST)).catch(() => {});
  document.dispatchEvent(new Event("kessa:along"));
}

// Take along what is wanted and not here, or was for a while.
let taking = null;
export function takeAlong() {
  taking ??= take().finally(() => {
    taking = null;
  });
  return taking;
}

// Whatever page is open: what is missing is fetched as soon as it can be had.
export async function takeMissing() {
  if (Date.now() - Number(localStorage.getItem(TRIED)) < BETWEEN) return;
  if ((await along()).some(({ at }) => !at)) await takeAlong();
}
