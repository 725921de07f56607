// What screen readers are told: the one place of a page that they listen to. What changed is said before how things stand, and what
// comes quickly one after another is said once.

const SOON = 400;
// Then it is over: who reads through the page finds nothing old there.
const OVER = 3000;
const ORDER = ["fault", "changed", "stands", "clock", "offered", "kept"];
const told = {};
const next = {};
let over = null;

// `what` is one of ORDER, and after it what it is of; words as they were told last are told no more, empty ones take them back.
export function tell(what, words) {
  if ((told[what] ?? "") === words) return;
  if (!Object.keys(next).length) window.setTimeout(flush, SOON);
  told[what] = next[what] = words;
}

function flush() {
  const place = (what) => ORDER.indexOf(what.split(" ")[0]);
  const words = Object.keys(next).filter((what) => next[what]).sort((a, b) => place(a) - place(b)).map((what) => next[what].trim().replace(/[^.?!]$/, "$&."));
  for (const what of Object.keys(next)) delete next[what];
  if (!words.length) return;
  const heard = document.querySelector("[data-heard]");
  heard.textContent = words.join(" ");
  window.clearTimeout(over);
  over = window.setTimeout(() => heard.replaceChildren(), OVER);
}

// A clock is heard as it starts, at a minute, at ten seconds and at its end, not each second.
export function atMark(left, whole) {
  if (left <= 0) return "now";
  if (left <= 10_000) return "10 seconds left";
  return left <= 60_000 && whole > 60_000 ? "1 minute left" : "running";
}
