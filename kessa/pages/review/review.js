// Keys of the review: what names a key is pressed, or written in, by it; j, k and x walk through a list and choose.

const rows = [...document.querySelectorAll("[data-row]")];

function walk(step) {
  const at = rows.findIndex((row) => row.contains(document.activeElement));
  const to = at < 0 ? (step > 0 ? 0 : rows.length - 1) : Math.min(Math.max(at + step, 0), rows.length - 1);
  rows[to]?.querySelector("a").focus();
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input:not([type=checkbox]), textarea, select")) return;
  if (event.key === "j") return walk(1);
  if (event.key === "k") return walk(-1);
  if (event.key === "x") return document.activeElement.closest("[data-row]")?.querySelector("input[type=checkbox]")?.click();
  const named = document.querySelector(`[data-key="${CSS.escape(event.key)}"]`);
  if (!named) return;
  event.preventDefault();
  if (named.matches("textarea")) named.focus();
  else named.click();
});
