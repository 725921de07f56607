// What the server did not take is shown on every page until somebody mends or drops it.

import { tell } from "./announcer.js";
import { allKept, openStore, toBeSent } from "./store.js";
import { tapWords } from "./tap-words.js";

const said = document.querySelector("[data-unsent]");
let signedIn = true;

async function show() {
  const kept = (await allKept(await openStore())).sort((a, b) => (a.at < b.at ? -1 : 1));
  const [refused, waits] = [kept.filter((tap) => tap.refused), kept.filter((tap) => toBeSent(tap) && tap.waits)];
  const unsent = kept.some((tap) => !tap.sent);
  said.hidden = !refused.length && !waits.length && (signedIn || !unsent);
  if (said.hidden) return tell("kept bar", "");
  const [look, signIn] = said.querySelectorAll("a");
  look.hidden = !refused.length && !waits.length;
  signIn.hidden = signedIn;
  signIn.href = `${signIn.pathname}?next=${encodeURIComponent(window.location.pathname)}`;
  const more = (taps) => (taps.length > 1 ? ` and ${taps.length - 1} more` : "");
  const words = [refused.length && `Not taken: ${tapWords(refused[0])}${more(refused)}. ${refused[0].refused}`, waits.length && `Waiting: ${tapWords(waits[0])}${more(waits)}. ${waits[0].waits}`, !signedIn && "You are signed out: what you tap is kept on this phone."].filter(Boolean);
  const text = words.join(" ");
  const place = said.querySelector("[data-unsent-words]");
  if (place.textContent !== text) place.textContent = text;
  tell("kept bar", text);
}

if (said) {
  // A drop that is kept and sent changes nothing here.
  document.addEventListener("kessa:kept", ({ detail }) => (!said.hidden || !signedIn || detail.some((tap) => tap.refused || tap.waits)) && show());
  document.addEventListener("kessa:signed", ({ detail }) => {
    if (detail === signedIn) return;
    signedIn = detail;
    show();
  });
  show().catch(() => {});
}
