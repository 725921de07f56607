// One line a step: remembered by person and test, and offered after a few of them on this device.

import { person } from "../base/tap-requests.js";

const FEW = 3;

const nameOf = (what, family) => `kessa-${what}-${person()}-${family}`;

export const isBrief = (family) => localStorage.getItem(nameOf("brief", family)) === "on";

export function setBrief(family, on) {
  localStorage.setItem(nameOf("brief", family), on ? "on" : "off");
}

// One more test of this kind is written down.
export function countTest(family) {
  localStorage.setItem(nameOf("tests", family), String(Number(localStorage.getItem(nameOf("tests", family)) ?? 0) + 1));
}

// Whether a few went before and nobody was asked yet.
export const isOffered = (family) => localStorage.getItem(nameOf("brief", family)) === null && Number(localStorage.getItem(nameOf("tests", family)) ?? 0) >= FEW;

// The switch among the settings says what holds for the test at hand.
export function showSwitch(family) {
  document.querySelector("[data-brief-now]").setAttribute("aria-pressed", String(isBrief(family)));
}
