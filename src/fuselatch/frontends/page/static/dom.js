// What all parts of the page use: elements, texts, focus.

/**
 * Makes an element. A name with a dash, `role` and `for` are attributes, others properties; texts are set as text.
 * @template {keyof HTMLElementTagNameMap} T
 * @param {T} tag
 * @param {Record<string, any>} [properties]
 * @param {(Node | string)[]} children
 * @returns {HTMLElementTagNameMap[T]}
 */
export function element(tag, properties = {}, ...children) {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(properties)) {
    if (name === "class") made.className = value;
    else if (name.includes("-") || name === "role" || name === "for") made.setAttribute(name, value);
    else Object.assign(made, { [name]: value });
  }
  made.append(...children.map((child) => (typeof child === "string" ? shown(child) : child)));
  return made;
}

// Control and direction characters are written out, so that no text changes how another is read. Entries stay as they are.
const HIDDEN = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u2028-\u202e\u2066-\u2069]/g;

/** @param {string} text */
export function shown(text) {
  return text.replace(HIDDEN, (found) => {
    const code = found.charCodeAt(0);
    if (code < 0x20) return String.fromCharCode(0x2400 + code);
    return code === 0x7f ? "␡" : `⟨U+${code.toString(16).toUpperCase().padStart(4, "0")}⟩`;
  });
}

/**
 * Sets a property, if it differs.
 * @param {any} node
 * @param {string} name
 * @param {any} given
 */
export function put(node, name, given) {
  const value = name === "textContent" ? shown(given) : given;
  if (node[name] !== value) node[name] = value;
}

/**
 * Sets an attribute, if it differs; null removes it.
 * @param {Element} node
 * @param {string} name
 * @param {string | null} value
 */
export function mark(node, name, value) {
  if (node.getAttribute(name) === value) return;
  if (value === null) node.removeAttribute(name);
  else node.setAttribute(name, value);
}

/**
 * Puts children into an element, and leaves alone those that are at their place: a node that leaves the page for a moment
 * loses the click that is under way.
 * @param {Element} parent
 * @param {Element[]} nodes
 */
export function fill(parent, nodes) {
  nodes.forEach((node, at) => {
    if (parent.children[at] !== node) parent.insertBefore(node, parent.children[at] ?? null);
  });
  while (parent.children.length > nodes.length) parent.lastElementChild?.remove();
}

/**
 * A press on an item of a list, or on the label of an entry, leaves the focus where the user types.
 * @param {HTMLElement} node
 */
export function staysWhereItIs(node) {
  node.addEventListener("mousedown", (event) => event.preventDefault());
}

let moving = false;

/**
 * Does something that moves the browser's focus, which isn't the user's doing.
 * @param {() => void} act
 */
export function moved(act) {
  const before = moving;
  moving = true;
  act();
  moving = before;
}

/** @param {HTMLElement} node */
export function focusOn(node) {
  moved(() => node.focus({ preventScroll: false }));
}

export function isMoving() {
  return moving;
}

/**
 * An icon of the style sheet, which says nothing by itself.
 * @param {string} name
 */
export function icon(name) {
  return element("span", { class: `icon ${name}`, "aria-hidden": "true" });
}

/**
 * A button of the page itself. A mouse takes no focus with it: what had the focus gets it back at once. `sign`: an icon, drawn in
 * place of its name. `once`: it closes or answers, so that the second click of a double one was meant for what is gone.
 * @param {string} name
 * @param {() => void} act
 * @param {Record<string, any>} [properties]
 * @param {{ sign?: string, text?: string, once?: boolean }} [how]
 */
export function quiet(name, act, properties = {}, { sign, text = "", once = false } = {}) {
  const made = element("button", { type: "button", class: "quiet", ...properties }, ...(sign ? [text, icon(sign)] : [name]));
  if (sign) {
    made.setAttribute("aria-label", name);
    made.title = name;
  }
  /** @type {Element | null} */
  let before = null;
  made.addEventListener("mousedown", () => (before = document.activeElement));
  made.addEventListener("click", (event) => {
    if (once && event.detail > 1) return;
    act();
    const isKept = event.detail > 0 && document.activeElement === made;
    if (isKept && before instanceof HTMLElement && before !== document.body) focusOn(before);
  });
  return made;
}
