// What was tapped on this phone in the name of who is signed in, on another person's page: they say whether it was them.

import { outgoing, postJson } from "./door.js";
import { newId } from "./keeper.js";
import { allKept, forget, openStore, put, toBeSent } from "./store.js";

const me = () => Number(document.querySelector("meta[name=kessa-person]")?.content);

// Whose page a tap was made on stands in its signed name, which only the server can make.
function phoneOf(tap) {
  try {
    return JSON.parse(atob(tap.whose.split(":")[0].replaceAll("-", "+").replaceAll("_", "/")))[0];
  } catch {
    return null;
  }
}

const inMyName = (tap) => toBeSent(tap) && tap.lent?.to === me() && phoneOf(tap) !== null && phoneOf(tap) !== me();

// The taps by the visit and the phone's owner, of those who are signed in.
export async function tappedInMyName() {
  const groups = new Map();
  for (const tap of (await allKept(await openStore())).filter(inMyName)) {
    const key = `${tap.lent.visit} ${phoneOf(tap)}`;
    groups.set(key, [...(groups.get(key) ?? []), tap]);
  }
  return [...groups.values()];
}

// Take the visit over after the fact: who is signed in says it, so that no PIN is wanted.
export async function itWasMe(taps) {
  const first = [...taps].sort((a, b) => a.seq - b.seq)[0];
  const { visit } = first.lent;
  const data = { taker: me(), phone_of: phoneOf(first) };
  const said = { id: newId(), run: "", kind: "took_over", seq: first.seq, at: first.at, data, device: first.device, whose: "", stream: visit, address: `/taps/visit/${visit}/`, about: first.about };
  await put(await openStore(), [said]);
}

export async function itWasNotMe(taps) {
  for (const stream of new Set(taps.map((tap) => tap.stream))) {
    const of = taps.filter((tap) => tap.stream === stream);
    await postJson("/taps/dropped/", { of: of[0].address.split("/")[2], stream, taps: of.map(outgoing), instead: null, why: "It was not the person in whose name it was tapped." });
    await forget(await openStore(), of.map((tap) => tap.id));
  }
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
      const line = document.createElement("li");
      line.append(`${taps[0].about || "A visit"}: ${taps.length} tap${taps.length === 1 ? "" : "s"} `);
      for (const [words, act] of [["It was me", itWasMe], ["Not me: drop them", itWasNotMe]]) {
        const button = Object.assign(document.createElement("button"), { type: "button", className: "button", textContent: words });
        button.addEventListener("click", () => act(taps).then(after, after));
        line.append(button, " ");
      }
      return line;
    }),
  );
}
