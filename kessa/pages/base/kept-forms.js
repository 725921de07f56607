// Forms that lose nothing without a signal: what was filled in is kept in this browser, and sent when there is one.

import { newId } from "./tap-queue.js";
import { keepForm, keptForms, openForms, sendForms } from "./outbox.js";

const KEPT = "Kept on this phone. It is sent when there is a signal.";

function said(form) {
  const place = form.querySelector("[data-kept-said]") ?? form.appendChild(Object.assign(document.createElement("p"), { role: "status" }));
  place.dataset.keptSaid = "";
  return place;
}

// A line that is ticked offline looks ticked, as it will be.
function tick(form, packed) {
  const button = form.querySelector("[aria-pressed]");
  button.setAttribute("aria-pressed", String(packed === "yes"));
  button.querySelector(".tick").textContent = packed === "yes" ? "✓" : "";
  form.elements.packed.value = packed === "yes" ? "no" : "yes";
}

const fieldsOf = (form) => [...new FormData(form)].filter(([name]) => name !== "csrfmiddlewaretoken");

async function keep(form) {
  const fields = [...fieldsOf(form), ["made_as", newId()]];
  await keepForm({ address: new URL(form.action).pathname, after: form.dataset.after ?? null, words: form.dataset.keptForm, fields });
}

document.addEventListener("submit", async (event) => {
  const form = event.target.closest("form[data-kept-form]");
  if (!form || form.hasAttribute("hx-post")) return;
  event.preventDefault();
  try {
    await keep(form);
  } catch {
    // There is no room, or no memory: it goes as forms always went.
    return form.submit();
  }
  form.reset();
  said(form).textContent = KEPT;
  const answers = await sendForms();
  const mine = answers.find(({ address }) => address === new URL(form.action).pathname);
  if (mine?.error) said(form).textContent = mine.error;
  else if (mine && !form.dataset.after) window.location.reload();
});

for (const fault of ["htmx:sendError", "htmx:responseError", "htmx:timeout"])
  document.addEventListener(fault, async ({ target, detail }) => {
    const form = target.closest?.("form[data-kept-form]");
    if (!form || (detail.xhr?.status >= 400 && detail.xhr.status < 500)) return;
    const { value } = form.elements.packed;
    await keep(form);
    tick(form, value);
    said(form).textContent = KEPT;
  });

// What waits from before is shown as it will be.
for (const kept of await keptForms(await openForms()))
  for (const form of document.querySelectorAll("form[data-kept-form][hx-post]")) {
    const fields = Object.fromEntries(kept.fields);
    if (new URL(form.action).pathname === kept.address && form.elements.key.value === fields.key) tick(form, fields.packed);
  }
