// Keys that a person has taught this browser: a clicker or a foot pedal sends whatever key it sends.

const KEPT = "kessa-learnt";
// What may be learnt, and the acts it stands for, the first that can be done now.
const MEANS = { drop: ["drop", "over"], turn: ["turn"], end: ["end"], next: ["next", "go", "clock"] };

const learnt = () => JSON.parse(localStorage.getItem(KEPT) ?? "{}");

// The acts that a key stands for, null where it was not learnt.
export const meaningOf = (key) => MEANS[learnt()[key]] ?? null;

function show(dialog) {
  const keys = Object.entries(learnt());
  for (const place of dialog.querySelectorAll("[data-learnt]")) place.textContent = keys.filter(([, act]) => act === place.dataset.learnt).map(([key]) => (key === " " ? "space" : key)).join(", ");
}

// In the dialog of keys: press "learn", then the clicker.
export function wireLearning(dialog) {
  let learning = null;
  const say = (words) => {
    dialog.querySelector("[data-learn-said]").textContent = words;
  };
  dialog.addEventListener("click", (event) => {
    const button = event.target.closest("[data-learn], [data-forget]");
    if (!button) return;
    learning = button.dataset.learn ?? null;
    if (!learning) localStorage.removeItem(KEPT);
    say(learning ? `Press the clicker or pedal now: it will mean “${button.dataset.words}”. Escape leaves it as it was.` : "Forgotten.");
    show(dialog);
  });
  const hear = (event) => {
    if (!learning || !dialog.open) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key !== "Escape") {
      localStorage.setItem(KEPT, JSON.stringify({ ...learnt(), [event.key]: learning }));
      say("Learnt.");
    } else say("");
    learning = null;
    show(dialog);
  };
  // Before anything else hears it: the key is to be learnt, not to do what it does.
  document.addEventListener("keydown", hear, true);
  show(dialog);
}
