// Today takes along what is due for the person, while there is a signal, and says by name what is along.

import { along, canTakeAlong, takeAlong, wantDue } from "../base/offline-list.js";

const said = document.querySelector("[data-taken-along]");

async function show() {
  const places = await along();
  const [here, missing] = [places.filter(({ at }) => at), places.filter(({ at }) => !at)].map((each) => each.map(({ name }) => name).join(", "));
  said.textContent = [here && `Along: ${here}.`, missing && `Not here yet: ${missing}. It is fetched again by itself.`].filter(Boolean).join(" ");
}

if (canTakeAlong) {
  navigator.storage?.persist?.();
  document.addEventListener("kessa:along", show);
  wantDue(Object.entries(JSON.parse(document.getElementById("due-along").textContent)));
  // The page itself comes first.
  window.setTimeout(() => takeAlong().catch(() => {}), 2000);
}
