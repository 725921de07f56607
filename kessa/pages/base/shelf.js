// The shelf: clocks that run, on every page of this browser, from every test. The bench puts them here.

import { handedOver } from "./handover.js";
import { tell } from "./announcer.js";
import { ring } from "./sound.js";
import { openClocks } from "./store.js";

const LOOK_AGAIN = 5000;
// What was not read in its time leaves the shelf after a while; what only rings stays for longer.
const FORGOTTEN = 6 * 3600 * 1000;
const LATE_FORGOTTEN = 30 * 60 * 1000;
const FRESH = 5000;

const opened = handedOver.then(openClocks).catch(() => null);
const channel = "BroadcastChannel" in window ? new BroadcastChannel("kessa-clocks") : null;
let clocks = [];
const rung = new Set();
const title = document.title;

// Put the clocks of a test on the shelf, instead of those it had there: {what, opens, closes, key, at}.
export async function putOnShelf(stream, place, address, running) {
  const store = await opened;
  if (!store) return;
  if (running.length) await store.put("clocks", { stream, place, address, running });
  else await store.delete("clocks", stream);
  channel?.postMessage("changed");
  await look();
}

async function look() {
  const store = await opened;
  if (!store) return;
  const all = await store.getAll("clocks");
  clocks = all.flatMap((each) => each.running.map((clock) => ({ ...clock, stream: each.stream, place: each.place, address: each.address, id: `${each.stream}-${each.key ?? ""}${clock.key}-${clock.at}` })));
  clocks = clocks.filter((clock) => Date.now() < (clock.closes ? clock.closes + LATE_FORGOTTEN : clock.opens + FORGOTTEN)).sort((a, b) => a.opens - b.opens);
  draw();
}

export function clockWords(milliseconds) {
  const seconds = Math.max(0, Math.ceil(milliseconds / 1000));
  const two = (number) => String(number).padStart(2, "0");
  const [hours, minutes] = [Math.floor(seconds / 3600), Math.floor(seconds / 60)];
  return hours ? `${hours}:${two(minutes % 60)}:${two(seconds % 60)}` : `${minutes}:${two(seconds % 60)}`;
}

function stateOf(clock) {
  const now = Date.now();
  if (now < clock.opens) return { state: "running", words: clockWords(clock.opens - now) };
  if (!clock.closes) return { state: "due", words: "now" };
  return now <= clock.closes ? { state: "due", words: `now, ${clockWords(clock.closes - now)} left` } : { state: "late", words: "too late" };
}

function draw() {
  const shelf = document.querySelector("[data-shelf]");
  if (!shelf) return;
  let due = null;
  const elsewhere = [];
  for (const clock of clocks) {
    const { state, words } = stateOf(clock);
    if (state === "due") due ??= clock;
    if (state !== "running" && !rung.has(clock.id)) {
      rung.add(clock.id);
      if (Date.now() - clock.opens < FRESH) ring();
    }
    // A test on the board says by itself how long it waits.
    if (document.querySelector(`[data-chip="${clock.stream}"]`)) continue;
    // A test that is in hand says itself what of its clocks is to be heard.
    if (state !== "running" && !document.querySelector(`[data-stream="${clock.stream}"]`)) tell(`clock ${clock.id}`, `${clock.what}, ${clock.place}: ${state === "due" ? "now" : words}`);
    const link = document.createElement("a");
    link.className = state;
    link.href = clock.address;
    const time = link.appendChild(document.createElement("b"));
    time.className = "num";
    time.textContent = words;
    link.append(` ${clock.what} · ${clock.place}`);
    elsewhere.push(link);
  }
  shelf.hidden = elsewhere.length === 0;
  // Drawn anew only where something changed, so that a finger or the focus on it is not lost.
  const list = shelf.querySelector("[data-clocks]");
  if (list.textContent !== elsewhere.map((row) => row.textContent).join("") || list.children.length !== elsewhere.length) {
    const focused = [...list.children].indexOf(document.activeElement);
    list.replaceChildren(...elsewhere);
    list.children[focused]?.focus();
  }
  document.title = due ? `● Now: ${due.what}` : title;
}

if (channel) channel.onmessage = () => look();
look();
window.setInterval(look, LOOK_AGAIN);
window.setInterval(draw, 500);
