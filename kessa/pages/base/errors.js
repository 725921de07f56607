// A form that was refused says on top what is to be looked at, field by field; the reader is led there.

import { make } from "./element.js";

const refused = [...document.querySelectorAll("#main .field")].filter((box) => box.querySelector("[id$=_error]"));
const fieldIn = (box) => box.querySelector("input:not([type=hidden]), select, textarea");

function line(box) {
  const name = box.querySelector(".label, legend, label").textContent.replace("*", "").trim();
  const link = make("a", { href: `#${fieldIn(box).id}`, textContent: name });
  link.addEventListener("click", (event) => {
    event.preventDefault();
    fieldIn(box).focus();
  });
  return make("li", {}, link, `: ${box.querySelector("[id$=_error]").textContent.trim()}`);
}

if (refused.length) {
  const words = refused.length > 1 ? `${refused.length} things are to be looked at` : "One thing is to be looked at";
  const summary = make("div", { className: "notice error", role: "alert", tabIndex: -1 }, make("b", { textContent: words }), make("ul", { className: "checks" }, ...refused.map(line)));
  (document.querySelector("#main h1, #main h2") ?? document.getElementById("main").firstElementChild).after(summary);
  summary.focus();
}
