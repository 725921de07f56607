// An element of a page, with what is said of it and what stands in it.
export function make(name, said = {}, ...parts) {
  const made = Object.assign(document.createElement(name), said);
  made.append(...parts);
  return made;
}
