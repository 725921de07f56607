// The page of circumstances.

import { Circumstances } from "./circumstances.js";
import { showSaved, showTrouble } from "../bench/keys.js";
import { Keeper } from "../base/tap-queue.js";

const given = JSON.parse(document.getElementById("visit-payload").textContent);
const keeper = new Keeper({
  ...given,
  onChange: () => {
    circumstances.show();
    showSaved([keeper]);
  },
  onClosed: (page) => window.location.assign(page),
  onTrouble: (words) => showTrouble(document.querySelector("[data-trouble]"), words),
});
const circumstances = new Circumstances(document.querySelector("[data-circumstances]"), given.scales, keeper);
keeper.start();
