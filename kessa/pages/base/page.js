// What every page does: sun mode, asking before what cannot be undone, and the worker that keeps pages for no signal.

import { canTakeAlong, takeMissing } from "./offline-list.js";
import { person } from "./tap-requests.js";
import "./errors.js";
import "./handover.js";
import "./number-field.js";

document.querySelector("[data-sun]")?.addEventListener("click", (event) => {
  const on = document.documentElement.classList.toggle("sun");
  event.currentTarget.setAttribute("aria-pressed", String(on));
  document.cookie = `sun=${on ? 1 : 0}; path=/; max-age=31536000; samesite=lax`;
});

// What belongs on paper is opened for it.
window.addEventListener("beforeprint", () => {
  for (const each of document.querySelectorAll("details.paper")) each.open = true;
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
  const question = event.target.closest("[data-confirm]")?.dataset.confirm;
  if (question && !window.confirm(question)) event.preventDefault();
});

// A button tapped twice sends its form once. Coming back to the page, it may be sent again.
const sent = new Set();
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.method !== "post") return;
  if (sent.has(form)) event.preventDefault();
  sent.add(form);
});
window.addEventListener("pageshow", () => sent.clear());

// What a page asked for in place and did not get is told: what it shows may not be what is kept.
for (const failed of ["htmx:responseError", "htmx:sendError"])
  document.addEventListener(failed, () => {
    const told = document.querySelector("[data-not-got]") ?? document.getElementById("main").insertAdjacentElement("afterbegin", document.createElement("p"));
    Object.assign(told, { className: "notice error", textContent: "This did not reach Kessa. Try it once more." }).setAttribute("role", "alert");
    told.dataset.notGot = "";
  });

// What was typed before the page was ready to ask is asked for too.
const askAgain = () => {
  for (const field of document.querySelectorAll("input[hx-get]")) if (field.value !== field.defaultValue) field.dispatchEvent(new Event("input", { bubbles: true }));
};
document.addEventListener("htmx:load", askAgain, { once: true });

// What is to be along and did not come is fetched again by itself.
if (canTakeAlong && person()) {
  const again = () => takeMissing().catch(() => {});
  window.addEventListener("online", again);
  window.setInterval(again, 30000);
}

// A page that could not be shown just now is asked for again.
const again = document.querySelector("meta[name=kessa-again]")?.content;
if (again) window.setTimeout(() => window.location.reload(), Number(again) * 1000);

if ("serviceWorker" in navigator) navigator.serviceWorker.register("/worker.js");
