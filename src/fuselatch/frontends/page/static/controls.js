// One element for each control. Texts are set as text, never as markup.

import { askForItems, isTyping, send, texts } from "./link.js";

export function element(tag, properties = {}, ...children) {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(properties)) {
    if (name === "class") made.className = value;
    else if (name.includes("-") || name === "role" || name === "for") made.setAttribute(name, value);
    else made[name] = value;
  }
  made.append(...children.map((child) => (typeof child === "string" ? shown(child) : child)));
  return made;
}

// Control and direction characters are written out, so that no text changes how another is read. Entries stay as they are.
const HIDDEN = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u2028-\u202e\u2066-\u2069]/g;

export function shown(text) {
  return text.replace(HIDDEN, (found) => {
    const code = found.charCodeAt(0);
    if (code < 0x20) return String.fromCharCode(0x2400 + code);
    return code === 0x7f ? "␡" : `⟨U+${code.toString(16).toUpperCase().padStart(4, "0")}⟩`;
  });
}

function put(node, name, given) {
  const value = name === "textContent" ? shown(given) : given;
  if (node[name] !== value) node[name] = value;
}

// A press must not move the focus by itself: the session moves it, after it has looked at the field that is left.
function staysWhereItIs(node) {
  node.addEventListener("mousedown", (event) => event.preventDefault());
}

let moving = false;

export function focusOn(node) {
  moving = true;
  node.focus({ preventScroll: false });
  moving = false;
}

export function isMoving() {
  return moving;
}

class Widget {
  constructor(control) {
    this.id = control.id;
    this.control = control;
    this.marker = element("p", { class: "marker", id: `m-${control.id}` });
    this.marker.hidden = true;
    this.root = element("div", { class: `control ${control.shape}` });
    this.root.dataset.control = control.name;
    this.target = null;
    if (control.hears.includes("hovered") || control.help) {
      this.root.addEventListener("mouseenter", () => send({ verb: "hover", control: this.id }));
      this.root.addEventListener("mouseleave", () => send({ verb: "unhover" }));
    }
    if (control.hears.includes("double_clicked") && control.shape !== "table") {
      this.root.addEventListener("dblclick", () => send({ verb: "double", control: this.id }));
    }
  }

  tellsFocus() {
    this.target.addEventListener("focus", () => {
      if (!moving && !this.control.focused) send({ verb: "focus", control: this.id });
    });
  }

  update(control) {
    this.control = control;
    this.root.classList.toggle("fixed", control.read_only);
    put(this.marker, "textContent", control.marker);
    put(this.marker, "hidden", control.marker === "");
    this.marker.classList.toggle("warn", control.marker_level === "warn");
    if (!this.target) return;
    put(this.target, "disabled", !control.enabled);
    const node = this.target;
    if (control.marker) {
      node.setAttribute("aria-describedby", this.marker.id);
      node.setAttribute("aria-invalid", control.marker_level === "refuse" ? "true" : "false");
    } else {
      node.removeAttribute("aria-describedby");
      node.removeAttribute("aria-invalid");
    }
  }

  // Returns true if this widget has used the key itself.
  key() {
    return false;
  }

  // Returns true if a key is for the session, and not for the browser.
  passesOn() {
    return false;
  }
}

class Field extends Widget {
  constructor(control) {
    super(control);
    const long = control.look === "multi-line";
    this.target = long
      ? element("textarea", { rows: 3, cols: control.width })
      : element("input", { type: control.look === "password" ? "password" : "text", size: control.width });
    this.target.id = `c-${control.id}`;
    this.target.autocomplete = "off";
    this.target.spellcheck = false;
    if (["number", "integer", "percent", "money"].includes(control.kind)) {
      this.target.inputMode = "decimal";
      this.target.classList.add("figure");
    }
    this.target.addEventListener("input", () => this.typed());
    this.tellsFocus();
    this.unit = element("span", { class: "unit" });
    this.root.append(this.target, this.unit);
  }

  typed() {
    send({ verb: "type", control: this.id, text: this.target.value });
  }

  update(control) {
    super.update(control);
    put(this.target, "placeholder", control.placeholder);
    put(this.target, "readOnly", control.read_only);
    this.target.setAttribute("aria-required", control.required ? "true" : "false");
    put(this.unit, "textContent", control.unit);
    if (isTyping(this.id)) return;
    // Masked text is dots: what was typed is only here, and must not be replaced by them.
    const text = control.masked ? (control.text === "" ? "" : this.target.value) : control.text;
    if (this.target.value !== text) {
      this.target.value = text;
    }
    // Only once: afterwards the user may have moved the cursor.
    const selected = control.focused && control.selected;
    if (selected && !this.wasSelected && document.activeElement === this.target) this.target.select();
    this.wasSelected = selected;
  }
}

// Keys that move in a list. In a text, the ends are for the cursor.
const MOVES = ["Down", "Up", "Alt+Down", "Alt+Up", "PageDown", "PageUp"];
const ENDS = ["Home", "End"];

class Choice extends Field {
  constructor(control) {
    super(control);
    this.items = [];
    this.isOpen = false;
    this.more = null;
    this.list = element("ul", { role: "listbox", id: `l-${control.id}` });
    this.list.hidden = true;
    staysWhereItIs(this.list);
    this.target.setAttribute("role", "combobox");
    this.target.setAttribute("aria-controls", this.list.id);
    this.target.setAttribute("aria-autocomplete", "list");
    this.arrow = element("button", { type: "button", tabIndex: -1, class: "arrow", "aria-label": texts.list }, "▾");
    staysWhereItIs(this.arrow);
    this.arrow.addEventListener("click", () => this.toggle());
    this.target.addEventListener("blur", () => this.close());
    this.target.after(this.arrow);
    this.root.append(this.list);
    if (control.multiple) this.target.readOnly = true;
  }

  toggle() {
    if (this.control.read_only) return;
    if (this.isOpen) {
      this.close();
      return;
    }
    if (document.activeElement !== this.target) this.target.focus();
    this.isOpen = true;
    this.more = null;
    if (this.control.choice_count > this.control.choices.length) askForItems(this.id, 0, 500);
    this.draw();
  }

  close() {
    this.isOpen = false;
    this.draw();
  }

  got(items) {
    this.more = items;
    this.draw();
  }

  update(control) {
    super.update(control);
    if (control.multiple) this.target.readOnly = true;
    put(this.arrow, "disabled", !control.enabled || control.read_only);
    this.draw();
  }

  draw() {
    const control = this.control;
    const opened = control.list_open && control.focused;
    const shown = (opened || this.isOpen) && control.enabled;
    this.items = !shown ? [] : opened ? control.choices : (this.more ?? control.choices);
    this.list.hidden = !shown || this.items.length === 0;
    this.target.setAttribute("aria-expanded", this.list.hidden ? "false" : "true");
    const here = opened ? this.items.findIndex((item) => item.id === control.at_item) : -1;
    this.list.replaceChildren(
      ...this.items.map((item, at) => {
        const node = element("li", { role: "option", id: `${this.list.id}-${at}` }, item.text);
        node.setAttribute("aria-selected", item.picked ? "true" : "false");
        node.classList.toggle("at", at === here);
        node.addEventListener("click", () => this.pick(item));
        return node;
      }),
    );
    if (here >= 0) {
      this.target.setAttribute("aria-activedescendant", `${this.list.id}-${here}`);
      this.list.children[here].scrollIntoView({ block: "nearest" });
    } else {
      this.target.removeAttribute("aria-activedescendant");
    }
  }

  pick(item) {
    send({ verb: "pick", control: this.id, item: item.id });
    if (!this.control.multiple) this.close();
  }

  key(event) {
    if (event.key !== "Escape" || !this.isOpen) return false;
    this.close();
    return true;
  }

  passesOn(name) {
    const moves = MOVES.includes(name) || (this.control.list_open && ENDS.includes(name));
    const mine = moves || (this.control.multiple && name === "Space");
    if (mine && this.isOpen) this.close();
    return mine;
  }
}

// A list that is always open, or radio buttons: the session moves in it, as in one that opens.
class Items extends Widget {
  constructor(control) {
    super(control);
    this.more = null;
    this.isRadio = control.look === "radio" && !control.multiple;
    this.target = element("ul", { role: this.isRadio ? "radiogroup" : "listbox", id: `c-${control.id}`, tabIndex: 0, class: "items" });
    if (control.multiple) this.target.setAttribute("aria-multiselectable", "true");
    staysWhereItIs(this.target);
    this.tellsFocus();
    this.root.append(this.target);
  }

  got(items) {
    this.more = items;
    this.draw();
  }

  update(control) {
    super.update(control);
    const ids = control.choices.map((item) => item.id).join();
    if (ids !== this.ids) {
      this.ids = ids;
      this.more = null;
      if (control.choice_count > control.choices.length) askForItems(this.id, 0, 500);
    }
    this.target.setAttribute("aria-disabled", control.enabled ? "false" : "true");
    this.target.setAttribute("aria-required", control.required ? "true" : "false");
    this.draw();
  }

  draw() {
    const control = this.control;
    const picked = new Set(control.choices.filter((item) => item.picked).map((item) => item.id));
    const items = this.more ?? control.choices;
    const at = control.at_item;
    this.target.replaceChildren(
      ...items.map((item, place) => {
        const node = element("li", { role: this.isRadio ? "radio" : "option", id: `i-${control.id}-${place}` }, item.text);
        node.setAttribute(this.isRadio ? "aria-checked" : "aria-selected", picked.has(item.id) || (this.more && item.picked && picked.size === 0) ? "true" : "false");
        node.classList.toggle("at", item.id === at && control.list_open);
        node.addEventListener("click", () => {
          if (control.enabled && !control.read_only) send({ verb: "pick", control: this.id, item: item.id });
        });
        return node;
      }),
    );
    const here = items.findIndex((item) => (control.list_open ? item.id === at : picked.has(item.id)));
    if (here >= 0) {
      this.target.setAttribute("aria-activedescendant", `i-${control.id}-${here}`);
      if (!this.isRadio) this.target.children[here].scrollIntoView({ block: "nearest" });
    } else {
      this.target.removeAttribute("aria-activedescendant");
    }
  }

  // What is typed finds an item, as in a list that opens.
  passesOn(name) {
    return MOVES.includes(name) || ENDS.includes(name) || name === "Space" || name === "Backspace" || /^(Shift\+)?.$/u.test(name);
  }
}

class Tick extends Widget {
  constructor(control) {
    super(control);
    this.target = element("input", { type: "checkbox", id: `c-${control.id}` });
    this.label = element("label", { for: this.target.id });
    this.root.append(this.target, this.label);
    staysWhereItIs(this.target);
    staysWhereItIs(this.label);
    this.tellsFocus();
    this.target.addEventListener("click", (event) => {
      event.preventDefault();
      if (this.control.read_only) return;
      send({ verb: this.control.value ? "untick" : "tick", control: this.id });
    });
  }

  update(control) {
    super.update(control);
    put(this.label, "textContent", control.caption);
    this.target.setAttribute("aria-readonly", control.read_only ? "true" : "false");
    // After the click has been undone: the session says if it is ticked.
    setTimeout(() => put(this.target, "checked", control.value === true));
    put(this.target, "checked", control.value === true);
  }
}

class Button extends Widget {
  constructor(control) {
    super(control);
    this.target = element("button", { type: "button", id: `c-${control.id}` });
    staysWhereItIs(this.target);
    this.tellsFocus();
    this.target.addEventListener("click", () => send({ verb: "press", control: this.id }));
    this.root.append(this.target);
  }

  update(control) {
    super.update(control);
    put(this.target, "textContent", control.caption);
    this.target.title = [control.help, control.keys].filter(Boolean).join(" · ");
    this.target.dataset.tone = control.tone;
    this.target.classList.toggle("accepts", control.closes === "accepted" || control.submits);
  }
}

class Label extends Widget {
  constructor(control) {
    super(control);
    this.text = element("output", { id: `c-${control.id}` });
    this.unit = element("span", { class: "unit" });
    this.root.append(this.text, this.unit);
    if (control.hears.includes("clicked")) {
      this.root.addEventListener("click", () => send({ verb: "press", control: this.id }));
    }
  }

  update(control) {
    super.update(control);
    put(this.text, "textContent", control.text);
    put(this.unit, "textContent", control.unit);
  }
}

class Table extends Widget {
  constructor(control) {
    super(control);
    this.target = element("table", { id: `c-${control.id}`, tabIndex: 0 });
    this.tellsFocus();
    this.root.append(this.target);
  }

  passesOn(name) {
    return MOVES.includes(name) || ENDS.includes(name);
  }

  update(control) {
    super.update(control);
    const heads = control.columns.map((column) => {
      const sorted = column.name === control.sorted_by;
      const node = element("th", { scope: "col" }, column.caption + (sorted ? (control.descending ? " ▾" : " ▴") : ""));
      staysWhereItIs(node);
      node.addEventListener("click", () => send({ verb: "sort", control: this.id, text: column.name }));
      return node;
    });
    const rows = control.cells.map((cells, at) => {
      const item = control.choices[at];
      const row = element("tr", {}, ...cells.map((text) => element("td", {}, text)));
      row.setAttribute("aria-selected", item.picked ? "true" : "false");
      row.addEventListener("click", (event) => event.detail === 1 && send({ verb: "pick", control: this.id, item: item.id }));
      row.addEventListener("dblclick", () => send({ verb: "double", control: this.id, item: item.id }));
      return row;
    });
    this.target.replaceChildren(element("thead", {}, element("tr", {}, ...heads)), element("tbody", {}, ...rows));
  }
}

const SHAPES = { field: Field, choice: Choice, tick: Tick, button: Button, label: Label, table: Table };

export function widgetOf(control) {
  const open = control.shape === "choice" && ["radio", "list"].includes(control.look) && !control.other;
  const made = new (open ? Items : (SHAPES[control.shape] ?? Label))(control);
  made.update(control);
  return made;
}
