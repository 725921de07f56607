// What an instrument shows is taken over into the fields of a form: a number beside the one that stands alone in its last line.

function beside(text, value) {
  const before = text.trimEnd();
  const last = before.split("\n").at(-1).trim().split(/[\s;]+/);
  // Of which standard is not known: its place is held open.
  return last[0] && last.length === 1 ? `${before} ${value}` : `${before}\n? ${value}`.trimStart();
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-fills]");
  if (!button) return;
  const { elements } = button.closest("form");
  for (const [name, value] of Object.entries(JSON.parse(button.dataset.fills))) {
    if (value !== null) elements[name].value = elements[name].type === "textarea" ? beside(elements[name].value, value) : value;
  }
});
