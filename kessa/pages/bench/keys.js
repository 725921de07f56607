// Fingers and keys at the bench: what is tapped is done in the test that the hands are at.

import { acts } from "./acts.js";
import { tell } from "../base/announcer.js";
import { meaningOf, wireLearning } from "./learnt-keys.js";
import { setting, tick } from "../base/sound.js";

const KEYS = { " ": ["drop", "over"], Backspace: ["back", "unread", "undo"], t: ["turn"], Enter: ["end"], x: ["void"], n: ["next", "go"], w: ["clock", "wait"], k: ["read"], "?": ["keys"] };

export function showTrouble(place, words) {
  place.hidden = !words;
  place.textContent = words ?? "";
}

// What goes on waiting is told, and then that it waits no more; a tap that is kept at once is not.
const PATIENCE = 3000;
let patience = null;
let waits = false;

function tellSaved(waiting) {
  if (waiting) {
    patience ??= window.setTimeout(() => {
      waits = true;
      tell("kept", "Taps wait on this phone");
    }, PATIENCE);
    return;
  }
  window.clearTimeout(patience);
  patience = null;
  if (waits) tell("kept", "All readings saved");
  waits = false;
}

// Where what had the focus is gone, or it was only led there, it goes on to the next thing.
export function carryFocus(from, next) {
  if (from && from !== document.body && (from.disabled || from.tabIndex < 0 || !from.checkVisibility())) next()?.focus({ preventScroll: true });
}

export function showSaved(keepers) {
  const place = document.querySelector("[data-saved]");
  const waiting = keepers.reduce((sum, keeper) => sum + keeper.waiting.size, 0);
  place.classList.toggle("waiting", waiting > 0);
  place.textContent = waiting ? `${waiting} tap${waiting === 1 ? "" : "s"} waiting` : "all readings saved";
  tellSaved(waiting > 0);
}

// `atHand()` is the test that is shown in full.
export function wire(atHand) {
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-act]");
    if (!button || button.disabled) return;
    // A finger or a mouse leaves no focus behind, so that the keys go on meaning what they say.
    if (event.detail) button.blur();
    acts[button.dataset.act](atHand(), button);
  });

  // Of a strip's pads each tap is the reading: there is no time for a second one.
  document.addEventListener("change", (event) => {
    const fieldset = event.target.closest("[data-at-once]");
    if (!fieldset || !event.target.matches("[data-choice]")) return;
    atHand().tap("reading_taken", { part: fieldset.dataset.part, reading: JSON.parse(event.target.value) });
  });

  const toggles = [...document.querySelectorAll("[data-toggle]")];
  const showToggles = () => {
    for (const button of toggles) button.setAttribute("aria-pressed", String(setting(button.dataset.toggle)));
  };
  for (const button of toggles)
    button.addEventListener("click", () => {
      const { toggle } = button.dataset;
      localStorage.setItem(`kessa-${toggle}`, setting(toggle) ? "off" : "on");
      showToggles();
      tick();
      atHand().draw();
    });
  showToggles();
  wireLearning(document.querySelector("[data-keys]"));
  document.addEventListener("keydown", (event) => key(event, atHand()));
}

function key(event, bench) {
  const learnt = meaningOf(event.key);
  const names = learnt ?? KEYS[event.key.length === 1 ? event.key.toLowerCase() : event.key];
  if (!bench?.now || !names || event.repeat || event.ctrlKey || event.metaKey || event.altKey || document.querySelector("[data-keys]").open) return;
  // Space and enter belong to the control that has the focus, if it can be seen: a closed dialog's button may hold on to
  // the focus until the next frame.
  const focused = document.activeElement;
  const free = !focused || focused === document.body || focused.tabIndex < 0 || !focused.checkVisibility();
  const asked = bench.one("li.now [data-ask]");
  if (event.key === "Enter" && focused?.matches("li.now [data-ask] input")) acts.answer(bench, asked.querySelector("[data-act=answer]"));
  if (!learnt && (event.key === " " || event.key === "Enter") && !free) return;
  if (focused?.matches("input:not([type=radio], [type=range]), select, textarea") && event.key !== "Escape") return;
  if (event.key === "n" && asked && !learnt) {
    event.preventDefault();
    return asked.querySelector("input, button").focus();
  }
  const button = names.flatMap((name) => bench.all(`[data-act=${name}]`)).find((each) => !each.disabled && each.checkVisibility());
  if (!button) return;
  event.preventDefault();
  acts[button.dataset.act](bench, button);
}
