// What was tapped on this phone in the name of who is signed in, on another person's page: they say whether it was them.

import { person } from "../base/tap-requests.js";
import { newId } from "../base/tap-queue.js";
import { make } from "../base/element.js";
import { endTaps } from "../base/outbox.js";
import { allKept, openStore, put, toBeSent } from "../base/store.js";

const me = () => Number(person());

// Whose page a tap was made on stands in its signed name, which only the server can make.
function phoneOf(tap) {
  try {
    return JSON.parse(atob(tap.whose.split(":")[0].replaceAll("-", "+").replaceAll("_", "/")))[0];
  } catch {
    return null;
  }
}

const inMyName = (tap) => toBeSent(tap) && tap.lent?.to === me() && phoneOf(tap) !== null && phoneOf(tap) !== me();

// The taps by the visit and the phone, of those who are signed in.
export async function tappedInMyName() {
  const groups = new Map();
  for (const tap of (await allKept(await openStore())).filter(inMyName)) {
    const key = `${tap.lent.visit} ${phoneOf(tap)} ${tap.device}`;
    groups.set(key, [...(groups.get(key) ?? []), tap]);
  }
  return [...groups.values()];
}

// Take the visit over after the fact, from the first of the taps to the last: who is signed in says it, so that no PIN is wanted.
// Returns the tap that says so.
export async function itWasMe(taps) {
  const first = [...taps].sort((a, b) => a.seq - b.seq)[0];
  const times = taps.map((tap) => tap.at).sort();
  const { visit } = first.lent;
  const data = { taker: me(), phone_of: phoneOf(first), since: times[0] };
  const said = { id: newId(), run: "", kind: "took_over", seq: Math.max(first.seq - 1, 1), at: times.at(-1), data, device: first.device, whose: "", stream: visit, address: `/taps/visit/${visit}/`, about: first.about };
  await put(await openStore(), [said]);
  return said;
}

export async function itWasNotMe(taps) {
  for (const stream of new Set(taps.map((tap) => tap.stream))) await endTaps(taps.filter((tap) => tap.stream === stream), "It was not the person in whose name it was tapped.");
}

// `after()` is called when something was said.
export async function showInMyName(place, after) {
  const groups = await tappedInMyName();
  place.closest("section").hidden = !groups.length;
  const shown = JSON.stringify(groups.map((taps) => taps.map((tap) => tap.id)));
  if (place.dataset.shown === shown) return;
  place.dataset.shown = shown;
  place.replaceChildren(
    ...groups.map((taps) => {
      const line = make("li", {}, `${taps[0].about || "A visit"}: ${taps.length} tap${taps.length === 1 ? "" : "s"} `);
      for (const [words, act] of [["It was me", itWasMe], ["Not me: drop them", itWasNotMe]]) {
        const button = make("button", { type: "button", className: "button", textContent: words });
        button.addEventListener("click", () => act(taps).then(after, after));
        line.append(button, " ");
      }
      return line;
    }),
  );
}
