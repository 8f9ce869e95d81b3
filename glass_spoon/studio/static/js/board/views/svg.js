/** Elements of SVG. */
const SVG = "http://www.w3.org/2000/svg";

/**
 * @param {string} name @param {Object<string, unknown>} attributes @param {string} text
 * @returns {SVGElement}
 */
export function svgElement(name, attributes = {}, text = "") {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  if (text) element.textContent = text;
  return element;
}

/** Make an element hold just these children, touching nothing that is right already. @param {Element} element @param {Element[]} children */
export function keepOnly(element, children) {
  if (element.children.length !== children.length || children.some((child, k) => element.children[k] !== child)) element.replaceChildren(...children);
}
