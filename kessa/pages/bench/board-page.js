// The page of the board.

import { Board } from "./board.js";
import { showSaved } from "./keys.js";

const board = new Board(document.querySelector("[data-board]"), {
  onDrawn: (benches) => showSaved(benches.map((bench) => bench.keeper)),
  onAlone: (page) => window.location.assign(page),
});
board.start();
