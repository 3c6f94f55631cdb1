// A shape of a drawing, with its attributes and class.
export const shape = (name, values, css = "") => {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(values)) made.setAttribute(key, value);
  if (css) made.setAttribute("class", css);
  return made;
};
