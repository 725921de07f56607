// What this browser keeps: what waits to be sent, and what is along.

import { along, canTakeAlong, leave, pages, takeAlong, testsAt } from "../base/offline-list.js";
import { keptForms, openForms, sendForms, sendWaiting } from "../base/outbox.js";
import { showInMyName } from "./in-your-name.js";
import { make } from "../base/element.js";
import { showRefused } from "./mending.js";
import { allKept, openStore, put, toBeSent } from "../base/store.js";

const page = document.querySelector("[data-phone]");
const one = (selector) => page.querySelector(selector);
const time = new Intl.DateTimeFormat(undefined, { weekday: "short", hour: "2-digit", minute: "2-digit" });
const FORM = "kessa taps 1";

const say = (words) => {
  one("[data-said]").textContent = words;
};
const rows = (place, lines) => place.replaceChildren(...lines.map((words) => make("li", {}, words)));
const waiting = async () => (await allKept(await openStore())).filter(toBeSent);

async function showWaiting() {
  const taps = await waiting();
  const streams = [...new Set(taps.map((tap) => tap.stream))].map((stream) => taps.filter((tap) => tap.stream === stream));
  const since = (of) => time.format(new Date(of.map((tap) => tap.at).sort()[0]));
  const forms = await keptForms(await openForms());
  await showInMyName(one("[data-in-my-name]"), resend);
  await showRefused(one("[data-refused-taps]"), resend);
  const all = one("[data-refused-taps]").children.length ? "Nothing else." : "Nothing: all is sent.";
  one("[data-waiting]").textContent = taps.length || forms.length ? `${taps.length} tap${taps.length === 1 ? "" : "s"}` : all;
  const nameOf = ({ about, address }) => [address.includes("/visit/") ? "A visit" : "A test", about].filter(Boolean).join(", ");
  const why = (of) => of.map((tap) => tap.waits).filter(Boolean)[0];
  const lines = streams.map((of) => [`${nameOf(of[0])}: ${of.length} tap${of.length === 1 ? "" : "s"}, the first ${since(of)}.`, why(of)].filter(Boolean).join(" "));
  rows(one("[data-streams]"), [...lines, ...forms.map(({ words, at }) => `${words}, ${time.format(new Date(at))}`)]);
  one("[data-send]").disabled = !taps.length && !forms.length;
  one("[data-save]").disabled = !taps.length;
}

async function showRoom() {
  const { usage = 0, quota = 0 } = (await navigator.storage?.estimate?.()) ?? {};
  const kept = await navigator.storage?.persisted?.();
  one("[data-room]").textContent = `${(usage / 1e6).toFixed(1)} MB used of ${(quota / 1e6).toFixed(0)} MB. ${kept ? "The browser keeps it until you clear it." : "The browser may clear it when room is short."}`;
  one("[data-persist]").hidden = kept !== false;
}

// A place by name, and what can be tested there; what did not come is said.
async function placeLine({ place, name, by, at, address }) {
  const tests = at ? await testsAt(address) : 0;
  const words = at ? `, as of ${time.format(at)}: ${tests} test${tests === 1 ? "" : "s"}. ` : ": not here yet, fetched by itself. ";
  const line = make("li", {}, at ? make("a", { href: address, textContent: name }) : name, words);
  if (by === "hand") {
    const off = make("button", { type: "button", className: "quiet", textContent: "Take it off this phone" });
    off.addEventListener("click", () => leave(place).then(showAlong));
    line.append(off);
  }
  return line;
}

async function showAlong() {
  if (!canTakeAlong) return rows(one("[data-pages]"), ["This address cannot keep pages: it is not a secure one."]);
  const places = await along();
  const cache = await pages();
  const emergency = await cache.match("/actions/emergency/");
  const under = (await cache.keys()).filter(({ url }) => /^\/(bench|visits\/[0-9a-f]{8}-)/.test(new URL(url).pathname));
  const others = await Promise.all(under.map(async (request) => make("li", {}, make("a", { href: request.url, textContent: await titleOf(await cache.match(request)) }))));
  const first = make("li", {}, make("a", { href: "/actions/emergency/", textContent: "Emergency: whom to call, spills, reagents" }), emergency ? "" : ": not here yet, fetched by itself.");
  one("[data-pages]").replaceChildren(first, ...(await Promise.all(places.map(placeLine))), ...others);
  one("[data-no-places]").hidden = places.length > 0;
}

const titleOf = async (answer) => new DOMParser().parseFromString(await answer.text(), "text/html").title.replace(" · Kessa", "");

async function save() {
  const file = new Blob([JSON.stringify({ form: FORM, saved: new Date().toISOString(), taps: await waiting() })], { type: "application/json" });
  const link = Object.assign(document.createElement("a"), { href: URL.createObjectURL(file), download: `kessa-taps-${new Date().toISOString().slice(0, 16).replace(":", "")}.json` });
  link.click();
  URL.revokeObjectURL(link.href);
  say("Saved. It stays on this phone too.");
}

const isTap = (tap) => ["id", "stream", "address", "kind", "at", "whose", "device"].every((name) => typeof tap?.[name] === "string") && /^\/taps\/(bench|visit)\/[0-9a-f-]{36}\/$/.test(tap.address) && Number.isInteger(tap.seq);

async function takeIn(file) {
  try {
    const { form, taps } = JSON.parse(await file.text());
    if (form !== FORM || !Array.isArray(taps) || !taps.every(isTap)) throw new Error("not ours");
    const store = await openStore();
    const known = new Set((await allKept(store)).map((tap) => tap.id));
    const strange = taps.filter((tap) => !known.has(tap.id));
    await put(store, strange.map(({ sent, waits, refused, ...tap }) => tap));
    say(strange.length ? `${strange.length} tap${strange.length === 1 ? "" : "s"} taken in.` : "All of it is here already.");
  } catch {
    say("This is not a file of taps that Kessa saved, or it is damaged. Nothing was taken in.");
  }
  await showWaiting();
}

async function resend() {
  await sendWaiting().then(sendForms).catch(() => {});
  await showWaiting();
}

one("[data-send]").addEventListener("click", async () => {
  say("");
  await resend();
  say(one("[data-refused-taps]").children.length ? "Something was not taken: correct it or drop it." : (await waiting()).length || (await keptForms(await openForms())).length ? "Not all could be sent. It stays here, and is tried again." : "All is sent.");
});
one("[data-save]").addEventListener("click", save);
one("[data-persist]").addEventListener("click", () => navigator.storage.persist().then(showRoom));
one("#taken-in").addEventListener("change", ({ target }) => target.files[0] && takeIn(target.files[0]));
document.addEventListener("kessa:along", showAlong);
if (canTakeAlong) takeAlong().catch(() => {});
for (const show of [showWaiting, showAlong, showRoom]) show();
// What waits is sent meanwhile.
window.setInterval(showWaiting, 3000);
