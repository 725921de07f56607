// Places set on a photograph: four marks and two ends, dragged by finger or moved by the arrow keys.

const area = document.querySelector("[data-places]");
const drawing = area.querySelector("svg");
const form = area.closest("form");
const STEP = 4;

function group(selector, input) {
  const field = form.elements[input];
  const places = field.value.split(" ").map((place) => place.split(",").map(Number));
  return { handles: [...drawing.querySelectorAll(selector)], places, field };
}

const groups = [group("[data-corner]", "corners"), group("[data-end]", "ends")];
const withCard = form.elements.with_card;
if (withCard) groups.push(group("[data-card]", "card"));
const path = (places) => `M${places.map((place) => place.join(" ")).join("L")}`;

function draw() {
  for (const { handles, places, field } of groups) {
    for (const [n, handle] of handles.entries()) handle.setAttribute("transform", `translate(${places[n][0]} ${places[n][1]})`);
    field.value = places.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
  }
  drawing.querySelector("[data-frame]").setAttribute("d", `${path(groups[0].places)}Z`);
  drawing.querySelector("[data-line]").setAttribute("d", path(groups[1].places));
  if (!withCard) return;
  drawing.querySelector("[data-card-line]").setAttribute("d", path(groups[2].places));
  for (const each of drawing.querySelectorAll("[data-card], [data-card-line]")) each.classList.toggle("is-hidden", !withCard.checked);
}

// Told once it is set down, so that it is read anew.
const placed = () => form.dispatchEvent(new CustomEvent("placed"));

function at(event) {
  const box = drawing.getBoundingClientRect();
  const { width, height } = drawing.viewBox.baseVal;
  return [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height];
}

for (const { handles, places } of groups) {
  for (const [n, handle] of handles.entries()) {
    handle.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      handle.focus();
      handle.setPointerCapture(event.pointerId);
    });
    handle.addEventListener("pointermove", (event) => {
      if (!handle.hasPointerCapture(event.pointerId)) return;
      places[n] = at(event);
      draw();
    });
    handle.addEventListener("pointerup", placed);
    handle.addEventListener("keydown", (event) => {
      const [dx, dy] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key] ?? [0, 0];
      if (!dx && !dy) return;
      event.preventDefault();
      places[n] = [places[n][0] + dx * STEP, places[n][1] + dy * STEP];
      draw();
      placed();
    });
  }
}
form.elements.side.addEventListener("change", placed);
withCard?.addEventListener("change", () => {
  draw();
  placed();
});
draw();
