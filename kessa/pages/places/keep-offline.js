// A place's own page puts it on this phone, due or not.

import { along, canTakeAlong, choose, leave, takeAlong, testsAt } from "../base/offline-list.js";

const button = document.querySelector("[data-put-along]");
const said = document.querySelector("[data-put-along-said]");
const { place, name } = button.dataset;

async function show() {
  const here = (await along()).find((each) => each.place === place);
  button.hidden = false;
  button.textContent = here ? "Take it off this phone" : "Put it on this phone";
  said.textContent = !here ? "" : here.at ? `On this phone, with ${await testsAt(here.address)} tests: a visit needs no signal.` : "It is not here yet: it is fetched by itself.";
}

if (canTakeAlong) {
  document.addEventListener("kessa:along", show);
  button.addEventListener("click", async () => {
    const here = (await along()).some((each) => each.place === place);
    if (here) await leave(place);
    else choose(place, name);
    await show();
    if (!here) await takeAlong();
  });
  show();
}
