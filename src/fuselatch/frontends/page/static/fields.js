// One element for each control: entries, tick boxes, buttons and labels.

import { element, isMoving, mark, put, quiet, shown } from "./dom.js";
import { goesTo, isSettled, isTooLong, isTyping, send, texts, whereFocusIs } from "./link.js";

/** @typedef {import("./view").ControlData} ControlData */

/** @typedef {import("./view").FieldData} FieldData */
/** @typedef {import("./view").ChoiceData} ChoiceData */
/** @typedef {import("./view").ButtonData} ButtonData */
/** @typedef {import("./view").LabelData} LabelData */

// The characters of a short and of a middle entry; what is wider is long.
const [SHORT, MIDDLE] = [14, 28];
const PICKERS = /** @type {Record<string, string>} */ ({ date: "date", datetime: "datetime-local", time: "time" });

/**
 * The widgets that show something until the session has answered everything.
 * @type {Set<Widget>}
 */
export const waiting = new Set();

/** Draws again what waited for the session: it has answered everything. */
export function settle() {
  const widgets = [...waiting];
  waiting.clear();
  for (const widget of widgets) widget.update(widget.control);
}

const CHARACTER = /^(Shift\+)?.$/u;

export class Widget {
  /** @param {ControlData} control */
  constructor(control) {
    this.id = control.id;
    this.control = control;
    // A slow call refuses what is done here.
    this.isLocked = false;
    this.marker = element("p", { class: "marker", id: `m-${control.id}` });
    this.marker.hidden = true;
    this.help = element("p", { class: "help", id: `e-${control.id}`, hidden: true });
    // Read with the control: its unit, and why it can't be used.
    this.hint = element("span", { class: "unseen", id: `h-${control.id}` });
    this.root = element("div", { class: `control ${control.shape}` }, this.hint);
    /** @type {HTMLElement | null} */
    this.target = null;
    this.isOpen = false;
    if (control.hears.includes("hovered") || control.hears.includes("unhovered")) {
      this.root.addEventListener("mouseenter", () => send({ verb: "hover", control: this.id }));
      this.root.addEventListener("mouseleave", () => send({ verb: "unhover" }));
    }
    if (control.hears.includes("double_clicked") && control.shape !== "table") {
      this.root.addEventListener("dblclick", () => send({ verb: "double", control: this.id }));
    }
  }

  /**
   * Tells the session that the user went here. A press tells it itself.
   * @param {HTMLElement} target
   * @param {HTMLElement} [pressed] what a mouse presses
   */
  tellsFocus(target, pressed) {
    let isPressed = false;
    pressed?.addEventListener("mousedown", () => {
      isPressed = true;
      setTimeout(() => (isPressed = false));
    });
    target.addEventListener("focus", () => {
      if (isMoving() || isPressed || whereFocusIs() === this.id) return;
      send({ verb: "focus", control: this.id });
      goesTo(this.id);
    });
  }

  /** @param {ControlData} control */
  update(control) {
    this.control = control;
    // A line's control is called by its line's position, which changes.
    mark(this.root, "data-control", control.name);
    this.root.classList.toggle("fixed", control.read_only);
    put(this.marker, "textContent", control.marker);
    put(this.marker, "hidden", control.marker === "");
    this.marker.classList.toggle("warn", control.marker_level === "warn");
    const unusable = control.enabled ? "" : [texts.unusable, control.disabled_by.length > 0 ? `${texts.depends_on} ${control.disabled_by.join(", ")}.` : ""].filter(Boolean).join(" ");
    const picks = control.shape === "choice" && control.multiple ? control.text : "";
    put(this.hint, "textContent", [control.unit, picks, unusable].filter(Boolean).join(". "));
    put(this.help, "textContent", control.help);
    put(this.help, "hidden", control.help === "");
    put(this.root, "title", shown(unusable || control.keys));
    if (!this.target) return;
    mark(this.target, "aria-keyshortcuts", control.keys.replaceAll("Ctrl", "Control") || null);
    if ("disabled" in this.target) put(this.target, "disabled", !control.enabled);
    const said = [control.marker && this.marker, control.help && this.help, this.hint.textContent && this.hint];
    const described = said.flatMap((node) => (node ? node.id : [])).join(" ");
    mark(this.target, "aria-describedby", described || null);
    mark(this.target, "aria-invalid", control.marker_level === "refuse" && control.marker !== "" ? "true" : null);
  }

  close() {}

  /**
   * Returns true if this widget has used the key itself.
   * @param {KeyboardEvent} event
   */
  key(event) {
    return false;
  }

  /**
   * Returns true if a key is for the session, and not for the browser: the view says which keys a control takes. The browser
   * itself makes a click of Space on a button or a tick box.
   * @param {string} name
   */
  passesOn(name) {
    const { takes } = this.control;
    if (name === "Space" && ["button", "tick"].includes(this.control.shape)) return false;
    return takes.includes(name) || (CHARACTER.test(name) && takes.includes("character"));
  }

  /**
   * Notes what a key that was passed on leads to, before the session has answered.
   * @param {string} name
   */
  goesAhead(name) {
  }

  /** True if Ctrl+Z is the browser's: there is something here that isn't entered yet. */
  get hasOwnText() {
    return false;
  }

  /** What is here is entered now, and stays. */
  entered() {
  }

  /** Tells that a text is too long to be sent; what is there stays. */
  tellTooLong() {
    put(this.marker, "textContent", texts.too_long ?? "");
    put(this.marker, "hidden", false);
  }

  /** True if Enter takes an item of a list that is open, or is about to be. */
  get isListing() {
    return false;
  }

  /** @param {import("./told").Part} part */
  got(part) {
  }
}

export class Field extends Widget {
  /** @param {FieldData | ChoiceData} control */
  constructor(control) {
    super(control);
    const long = control.shape === "field" && control.multi_line;
    const kind = control.shape === "field" && control.secret ? "password" : "text";
    const holds = control.shape === "field" ? control.holds : "text";
    /** @type {HTMLInputElement | HTMLTextAreaElement} */
    this.entry = long ? element("textarea", { rows: 3, cols: control.width }) : element("input", { type: kind, size: control.width });
    this.target = this.entry;
    this.entry.id = `c-${control.id}`;
    const browsers = control.shape === "field" ? control : { autocomplete: "", inputmode: "", spellcheck: false };
    mark(this.entry, "autocomplete", browsers.autocomplete || "off");
    this.entry.spellcheck = browsers.spellcheck;
    if (browsers.inputmode) mark(this.entry, "inputmode", browsers.inputmode);
    this.isComposing = false;
    this.wasSelected = false;
    // The text that was here before the user typed.
    this.before = "";
    this.entry.addEventListener("focus", () => this.entered());
    if (holds === "number") {
      if (!browsers.inputmode) this.entry.inputMode = "decimal";
      this.entry.classList.add("figure");
    }
    this.entry.addEventListener("compositionstart", () => (this.isComposing = true));
    this.entry.addEventListener("compositionend", () => {
      this.isComposing = false;
      waiting.add(this);
      this.typed();
    });
    this.entry.addEventListener("blur", () => (this.isComposing = false));
    this.entry.addEventListener("input", () => this.isComposing || this.typed());
    this.tellsFocus(this.entry);
    // Few widths, so that entries below each other line up.
    this.entry.classList.add(control.width <= SHORT ? "short" : control.width <= MIDDLE ? "middle" : "long");
    this.unit = element("span", { class: "unit", "aria-hidden": "true" });
    this.root.prepend(this.entry, this.unit);
    const picker = PICKERS[holds];
    if (picker) this.addPicker(picker);
  }

  get hasOwnText() {
    return this.entry.value !== this.before;
  }

  entered() {
    this.before = this.entry.value;
  }

  get longest() {
    return /** @type {FieldData | ChoiceData} */ (this.control).longest;
  }

  typed() {
    if (isTooLong(this.entry.value, this.longest)) {
      this.entry.value = this.control.text;
      this.tellTooLong();
      return;
    }
    send({ verb: "type", control: this.id, text: this.entry.value });
  }

  /**
   * The browser's own field for dates: what is chosen in it is typed, and written by the session.
   * @param {string} type
   */
  addPicker(type) {
    const native = element("input", { type, class: "native", tabIndex: -1, "aria-hidden": "true" });
    native.addEventListener("change", () => {
      if (native.value === "" || !this.control.enabled || this.control.read_only) return;
      this.entry.value = native.value.replace("T", " ");
      this.entry.focus();
      this.typed();
    });
    const open = () => {
      const value = typeof this.control.value === "string" ? this.control.value : "";
      native.value = value.slice(0, { date: 10, time: 5 }[type] ?? 16);
      const { earliest, latest } = /** @type {FieldData} */ (this.control);
      const length = { date: 10, time: 5 }[type] ?? 16;
      native.min = earliest.slice(0, length);
      native.max = latest.slice(0, length);
      native.showPicker();
    };
    this.picker = quiet(`${this.control.caption}: ${texts.calendar}`, open, { tabIndex: -1, name: "calendar" }, { sign: type === "time" ? "clock" : "calendar" });
    this.root.append(this.picker, native);
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    if (!this.picker || this.picker.disabled || !event.altKey || event.key !== "ArrowDown") return false;
    this.picker.click();
    return true;
  }

  /** @param {FieldData | ChoiceData} control */
  update(control) {
    super.update(control);
    const isKept = isTyping(this.id) && document.activeElement === this.entry;
    put(this.entry, "placeholder", control.placeholder);
    // What was typed isn't taken from the user before the session has it.
    put(this.entry, "disabled", !control.enabled && !isKept);
    put(this.entry, "readOnly", control.read_only || this.isLocked || (isKept && !control.enabled));
    if (this.picker) put(this.picker, "disabled", !control.enabled || control.read_only);
    mark(this.entry, "aria-required", control.required ? "true" : "false");
    put(this.unit, "textContent", control.text === "" && control.read_only ? "" : control.unit);
    if (!isSettled()) waiting.add(this);
    if (isTyping(this.id) || this.isComposing) return;
    // Masked text is dots: what was typed is only here, and must not be replaced by them.
    const text = control.masked && control.text !== "" ? this.entry.value : control.text;
    if (this.entry.value !== text) {
      this.entry.value = text;
      this.entered();
    }
    if (!isSettled()) return;
    // Only once: afterwards the user may have moved the cursor.
    const selected = control.focused && control.selected;
    if (selected && !this.wasSelected && document.activeElement === this.entry) this.entry.select();
    this.wasSelected = selected;
  }
}

export class Tick extends Widget {
  /** @param {ControlData} control */
  constructor(control) {
    super(control);
    const box = (this.box = element("input", { type: "checkbox", id: `c-${control.id}` }));
    this.target = box;
    this.caption = element("span");
    this.needed = element("span", { class: "needed", "aria-hidden": "true", hidden: true }, " *");
    this.label = element("label", { for: box.id }, this.caption, this.needed);
    this.root.prepend(box, this.label);
    this.tellsFocus(box, this.root);
    box.addEventListener("click", () => {
      if (this.control.read_only) {
        box.checked = this.control.value === true;
        return;
      }
      send({ verb: box.checked ? "tick" : "untick", control: this.id });
      waiting.add(this);
      goesTo(this.id);
    });
  }

  /** @param {ControlData} control */
  update(control) {
    super.update(control);
    put(this.caption, "textContent", control.caption);
    put(this.needed, "hidden", !control.required);
    mark(this.box, "aria-required", control.required ? "true" : null);
    mark(this.box, "aria-readonly", control.read_only ? "true" : null);
    // While clicks are on their way, the box shows what the user made of it.
    if (isSettled()) put(this.box, "checked", control.value === true);
    else waiting.add(this);
  }
}

export class Button extends Widget {
  /** @param {ControlData} control */
  constructor(control) {
    super(control);
    this.caption = element("span");
    this.shortcut = element("kbd", { "aria-hidden": "true" });
    this.button = element("button", { type: "button", id: `c-${control.id}` }, this.caption, this.shortcut);
    this.target = this.button;
    this.tellsFocus(this.button, this.button);
    this.button.addEventListener("click", (event) => {
      // What closes or submits is gone after the first click of a double one.
      if (event.detail > 1 && this.closes) return;
      send({ verb: "press", control: this.id });
      if (this.control.takes_focus) goesTo(this.id);
    });
    this.root.prepend(this.button);
  }

  get closes() {
    const control = /** @type {ButtonData} */ (this.control);
    return control.closes !== "" || control.submits;
  }

  /** @param {ButtonData} control */
  update(control) {
    super.update(control);
    put(this.caption, "textContent", control.caption);
    put(this.shortcut, "textContent", control.keys);
    put(this.shortcut, "hidden", control.keys === "");
    // Below a row of buttons it would belong to none of them: it is shown where the pointer is.
    put(this.help, "hidden", true);
    if (control.enabled) put(this.root, "title", shown([control.help, control.keys].filter(Boolean).join(" · ")));
    this.button.dataset.tone = control.tone;
    this.button.classList.toggle("accepts", control.closes === "accepted" || control.submits);
  }
}

export class Label extends Widget {
  /** @param {ControlData} control */
  constructor(control) {
    super(control);
    this.text = element("span", { class: "text", id: `c-${control.id}` });
    this.unit = element("span", { class: "unit" });
    this.picture = element("img", { hidden: true });
    this.root.prepend(this.picture, this.text, this.unit);
    if (control.hears.includes("clicked")) {
      this.root.addEventListener("click", () => send({ verb: "press", control: this.id }));
    }
  }

  /** @param {LabelData} control */
  update(control) {
    super.update(control);
    put(this.text, "textContent", control.text);
    put(this.unit, "textContent", control.text === "" ? "" : control.unit);
    put(this.picture, "hidden", control.picture === "");
    put(this.picture, "alt", control.alt);
    mark(this.picture, "src", control.picture === "" ? null : `picture-${control.picture}`);
  }
}
