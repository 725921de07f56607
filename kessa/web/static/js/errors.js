// A form that was refused says on top what is to be looked at, field by field; the reader is led there.

import { make } from "./make.js";

const named = (field) => (field.labels?.[0] ?? field.closest("fieldset")?.querySelector("legend"))?.textContent.replace("*", "").trim() ?? field.name;
const said = (field) => (field.getAttribute("aria-describedby") ?? "").split(" ").map((id) => document.getElementById(id)).find((each) => each?.id.endsWith("_error"))?.textContent.trim() ?? "";

const fields = [...document.querySelectorAll("#main [aria-invalid=true]")];
// Of several buttons of one choice the first stands for all.
const first = fields.filter((field, nth) => fields.findIndex(({ name }) => name === field.name) === nth);
if (first.length) {
  const lines = first.map((field) => make("li", {}, make("a", { href: `#${field.id}`, textContent: named(field) }), `: ${said(field)}`));
  const summary = make("div", { className: "notice error", role: "alert", tabIndex: -1 }, make("b", { textContent: lines.length > 1 ? `${lines.length} things are to be looked at` : "One thing is to be looked at" }), make("ul", { className: "checks" }, ...lines));
  document.querySelector("#main h1, #main h2")?.after(summary);
  summary.focus();
  summary.addEventListener("click", (event) => {
    const link = event.target.closest("a");
    if (!link) return;
    event.preventDefault();
    document.getElementById(link.hash.slice(1)).focus();
  });
}
