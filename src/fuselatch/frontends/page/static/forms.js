// One element for each open form, and the layers that they lie in.

import { element, focusOn, mark, moved, put, quiet, shown } from "./dom.js";
import { Button, Field, Label, Tick, Widget } from "./fields.js";
import { model, send, texts } from "./link.js";
import { Choice, Items, Table } from "./lists.js";

/** @typedef {import("./view").FormData} FormData */
/** @typedef {import("./view").ControlData} ControlData */
/** @typedef {import("./told").StripData} StripData */
/** @typedef {import("./view").LinesData} LinesData */
/** @typedef {Map<string, ControlData>} Controls */

/** @type {Record<string, new (control: any) => Widget>} */
const SHAPES = { field: Field, choice: Choice, tick: Tick, button: Button, label: Label, table: Table, lines: Widget };
// Where a click meets the form itself.
const SURFACE = ".body, .body > *, .chunk > *, .panel > *";
// Of a long form, so many rows are laid out as one.
const CHUNK = 20;
const OWN_CAPTION = ["tick", "button"];
/** @type {{ line: string, from: string } | null} */
let dragged = null;

/** @param {ControlData} control */
function widgetOf(control) {
  const isAlwaysOpen = control.shape === "choice" && control.always_open;
  /** @type {new (control: any) => Widget} */
  const kind = isAlwaysOpen ? Items : SHAPES[control.shape] ?? Widget;
  const made = new kind(control);
  made.update(control);
  return made;
}

/**
 * @param {FormData} one
 * @param {FormData} other
 */
function isOlder(one, other) {
  return Number(one.id) < Number(other.id);
}

export class FormElement {
  /** @param {FormData} form */
  constructor(form) {
    this.id = form.id;
    /** @type {Map<string, Widget>} */
    this.widgets = new Map();
    /** @type {Map<string, { tab: HTMLButtonElement, panel: HTMLElement, controls: string[] }>} */
    this.pages = new Map();
    this.page = "";
    this.title = element("h1", { id: `t-${form.id}` });
    this.record = element("span", { class: "record" });
    this.close = quiet(texts.close ?? "", () => send({ verb: "close" }), { class: "close quiet" }, "×");
    this.bar = this.makeBar();
    this.body = element("div", { class: "body" });
    this.message = element("p", { class: "message" });
    this.notice = element("p", { class: "notice" });
    const header = element("header", {}, this.title, this.record, this.close);
    this.root = element("section", { class: "form", "aria-labelledby": this.title.id }, header, this.bar, this.body, this.message, this.notice);
    this.root.dataset.form = form.name;
    const surface = (/** @type {string} */ verb) => (/** @type {MouseEvent} */ event) => {
      const at = /** @type {Element} */ (event.target);
      if (at.matches(SURFACE)) send({ verb, form: this.id });
    };
    if (form.hears.includes("clicked")) this.body.addEventListener("click", surface("press"));
    if (form.hears.includes("double_clicked")) this.body.addEventListener("dblclick", surface("double"));
    this.root.addEventListener("mousedown", () => {
      const front = model.view.forms.at(-1);
      if (front && front.id !== this.id && !this.root.inert) send({ verb: "to_front", form: this.id });
    });
  }

  makeBar() {
    const bar = element("div", { class: "bar", role: "toolbar", "aria-label": texts.records, hidden: true });
    for (const where of ["first", "previous", "next", "last", "new", "save", "remove"]) {
      bar.append(quiet(texts[where] ?? "", () => send({ verb: "record", form: this.id, text: where }), { name: where }));
    }
    const properties = { type: "text", class: "key", size: 8, placeholder: texts.go_to, "aria-label": texts.go_to, autocomplete: "off" };
    const key = element("input", properties);
    key.addEventListener("keydown", (event) => {
      if (event.key !== "Enter" || key.value === "") return;
      send({ verb: "record", form: this.id, text: key.value });
      key.value = "";
    });
    bar.append(key);
    return bar;
  }

  /** @param {ControlData | undefined} control */
  widget(control) {
    if (!control) throw new Error("a row of a form shows a control that isn't there");
    const found = this.widgets.get(control.id) ?? widgetOf(control);
    this.widgets.set(control.id, found);
    return found;
  }

  /** @param {FormData} form */
  layOut(form) {
    // Who types goes on typing: what leaves the page for a moment loses the focus.
    const at = document.activeElement;
    const controls = new Map(form.controls.map((control) => [control.id, control]));
    for (const id of [...this.widgets.keys()]) if (!controls.has(id)) this.widgets.delete(id);
    const strips = model.layouts[form.id] ?? [];
    const isTabbed = form.tabs && strips.some((strip) => strip.page !== "");
    this.pages.clear();
    /** @type {HTMLElement[]} */
    const rows = [];
    /** @type {HTMLElement | null} */
    let grid = null;
    const tabs = element("div", { class: "tabs", role: "tablist", "aria-label": form.title });
    for (const strip of strips) {
      const page = isTabbed && strip.page !== "" ? this.pageOf(strip, form, tabs, rows) : null;
      if (page && strip.heading && strip.depth === 0 && strip.controls.length === 0) continue;
      page?.controls.push(...strip.controls);
      const into = page ? page.panel : null;
      const add = (/** @type {HTMLElement} */ made) => (into ? into.append(made) : rows.push(made));
      if (!strip.line) {
        grid = null;
        add(this.strip(strip, controls));
        continue;
      }
      if (!grid) {
        const own = linesOf(strip.line, controls);
        grid = element("div", { class: "grid", role: "table", "aria-label": own.caption }, this.heads(strip, controls));
        add(grid);
      }
      grid.append(this.line(strip, controls));
    }
    this.body.replaceChildren(...(rows.length > 3 * CHUNK ? inChunks(rows) : rows));
    if (at instanceof HTMLElement && at !== document.activeElement && this.body.contains(at)) focusOn(at);
    const widest = Math.max(0, ...strips.map((strip) => (strip.line ? strip.controls.length : 0)));
    this.root.classList.toggle("wide", widest > 2);
    if (isTabbed) this.turnTo(this.pages.has(this.page) ? this.page : ([...this.pages.keys()][0] ?? ""));
  }

  /**
   * The tab page that a row lies on, made with the first.
   * @param {StripData} strip
   * @param {FormData} form
   * @param {HTMLElement} tabs
   * @param {HTMLElement[]} rows
   */
  pageOf(strip, form, tabs, rows) {
    const known = this.pages.get(strip.page);
    if (known) return known;
    if (this.pages.size === 0) rows.push(tabs);
    const group = form.groups.find((each) => each.id === strip.page) ?? form.controls.find((each) => each.id === strip.page);
    const panel = element("div", { class: "panel", role: "tabpanel", id: `p-${strip.page}`, "aria-labelledby": `b-${strip.page}` });
    panel.dataset.caption = shown(group?.caption ?? "");
    const properties = { class: "quiet tab", role: "tab", id: `b-${strip.page}`, "aria-controls": panel.id };
    const tab = quiet(group?.caption ?? "", () => tab.focus(), properties);
    tab.dataset.page = group?.name ?? "";
    tab.addEventListener("focus", () => this.turnTo(strip.page));
    tabs.append(tab);
    rows.push(panel);
    const made = { tab, panel, controls: [] };
    this.pages.set(strip.page, made);
    return made;
  }

  /**
   * Shows a tab page. The session's focus stays where it is until the user goes on there.
   * @param {string} page
   */
  turnTo(page) {
    this.page = page;
    for (const [id, { tab, panel }] of this.pages) {
      mark(tab, "aria-selected", id === page ? "true" : "false");
      panel.hidden = id !== page;
    }
  }

  /**
   * Shows the tab page with a control.
   * @param {string} control
   */
  turnToControl(control) {
    for (const [id, { controls }] of this.pages) if (controls.includes(control) && id !== this.page) this.turnTo(id);
  }

  // A tab says how many entries of its page have a marker.
  markTabs() {
    for (const { tab, controls } of this.pages.values()) {
      const marked = controls.filter((id) => this.widgets.get(id)?.control.marker).length;
      const before = tab.querySelector(".count");
      if (before?.textContent?.startsWith(`! ${marked} `)) continue;
      before?.remove();
      if (marked > 0) tab.append(element("span", { class: "count" }, `! ${marked}`, element("span", { class: "unseen" }, ` ${texts.to_check}`)));
    }
  }

  /**
   * The headings above lines: a tick box and a button have their own captions.
   * @param {StripData} strip
   * @param {Controls} controls
   */
  heads(strip, controls) {
    const own = strip.controls.flatMap((id) => controls.get(id) ?? []);
    const captions = own.map((one) => (OWN_CAPTION.includes(one.shape) ? "" : one.caption + (one.required ? " *" : "")));
    const cells = ["#", ...captions, ""].map((text) => element("span", { role: text ? "columnheader" : "cell" }, text));
    return inColumns(element("div", { class: "line heads", role: "row" }, ...cells), own);
  }

  /**
   * @param {StripData} strip
   * @param {Controls} controls
   */
  line(strip, controls) {
    const widgets = strip.controls.map((id) => this.widget(controls.get(id)));
    for (const widget of widgets) {
      if (!OWN_CAPTION.includes(widget.control.shape)) widget.target?.setAttribute("aria-label", `${widget.control.caption} ${strip.caption}`);
    }
    const number = element("span", { class: "number", role: "rowheader" }, strip.caption);
    const cells = widgets.map((widget) => element("span", { class: "cell", role: "cell" }, widget.root, widget.marker, widget.help));
    const row = element("div", { class: "line", role: "row" }, number, ...cells, this.tools(strip.line, controls));
    this.drags(row, number, strip.line, linesOf(strip.line, controls));
    return inColumns(row, widgets.map((widget) => widget.control));
  }

  /**
   * A line is moved by its number, onto the line whose place it takes.
   * @param {HTMLElement} row
   * @param {HTMLElement} number
   * @param {string} line
   * @param {LinesData} own
   */
  drags(row, number, line, own) {
    number.draggable = own.can_move;
    number.addEventListener("dragstart", (event) => {
      dragged = { line, from: own.id };
      if (event.dataTransfer) event.dataTransfer.effectAllowed = "move";
      event.dataTransfer?.setData("text/plain", number.textContent ?? "");
    });
    row.addEventListener("dragover", (event) => {
      if (dragged?.from === own.id) event.preventDefault();
    });
    row.addEventListener("drop", (event) => {
      event.preventDefault();
      if (dragged?.from === own.id && dragged.line !== line) {
        send({ verb: "move_line", control: dragged.line, text: `${own.lines.indexOf(line)}` });
      }
      dragged = null;
    });
  }

  /**
   * @param {StripData} strip
   * @param {Controls} controls
   */
  strip(strip, controls) {
    const widgets = strip.controls.map((id) => this.widget(controls.get(id)));
    const depth = `depth-${Math.min(strip.depth, 4)}`;
    const [only] = widgets;
    const own = only?.control;
    if (strip.heading && own?.shape === "lines") {
      const add = quiet(texts.add_line ?? "", () => send({ verb: "add_line", control: own.id }), { name: "add" });
      add.disabled = !own.can_add;
      const heading = element("div", { class: `heading ${depth}` }, element("h2", {}, strip.caption), add);
      heading.dataset.control = own.name;
      return element("div", { class: "lines" }, heading, ...widgets.map((widget) => widget.marker));
    }
    if (strip.heading) return element("h2", { class: depth }, strip.caption);
    const isAlone = widgets.length === 1 && only !== undefined && !OWN_CAPTION.includes(only.control.shape);
    const buttons = widgets.every((widget) => widget.control.shape === "button");
    const row = element("div", { class: `strip ${depth}${buttons ? " buttons" : ""}` });
    const isField = isAlone && only.target instanceof HTMLElement && "labels" in only.target;
    const caption = isField ? element("label", { class: "caption", for: `c-${only.id}` }) : element("span", { class: "caption" });
    caption.append(shown(strip.caption));
    if (isAlone && only.control.required) caption.append(element("span", { class: "needed", "aria-hidden": "true" }, " *"));
    const side = element("div", { class: "side" });
    for (const widget of widgets) {
      if (!isAlone && !OWN_CAPTION.includes(widget.control.shape)) widget.target?.setAttribute("aria-label", widget.control.caption);
      side.append(widget.root);
    }
    row.append(caption, side, ...widgets.flatMap((widget) => [widget.marker, widget.help]));
    return row;
  }

  /**
   * What can be done with a line as a whole.
   * @param {string} line
   * @param {Controls} controls
   */
  tools(line, controls) {
    const own = linesOf(line, controls);
    const at = own.lines.indexOf(line);
    const move = (/** @type {string} */ name, /** @type {number} */ to, /** @type {string} */ sign) => {
      const made = quiet(`${texts[name]} ${at + 1}`, () => send({ verb: "move_line", control: line, text: `${to}` }), { name }, sign);
      made.disabled = !own.can_move || to < 0 || to >= own.lines.length;
      return made;
    };
    const remove = () => send({ verb: "remove_line", control: line });
    const gone = quiet(`${texts.remove_line} ${at + 1}`, remove, { name: "remove_line" }, "×");
    gone.disabled = !own.can_remove;
    const made = element("span", { class: "tools", role: "cell" }, move("move_up", at - 1, "↑"), move("move_down", at + 1, "↓"), gone);
    made.dataset.line = `${own.name}[${at}]`;
    return made;
  }

  /**
   * @param {FormData["record"]} record
   * @param {boolean} isFront
   */
  drawBar(record, isFront) {
    this.bar.hidden = !record;
    if (!record) return;
    const { position, total, changed, can_remove } = record;
    const isFirst = total === 0 || position === 1;
    const isNew = !can_remove;
    /** @type {Record<string, boolean>} */
    const off = {
      first: isFirst, previous: isFirst, next: isNew, last: total === 0 || position === total,
      new: isNew && !changed, save: !changed, remove: !can_remove,
    };
    for (const each of this.bar.querySelectorAll("button, input")) {
      const part = /** @type {HTMLButtonElement | HTMLInputElement} */ (each);
      part.disabled = (off[part.name] ?? total === 0) || !isFront;
    }
  }

  /**
   * @param {FormData} form
   * @param {boolean} isFront
   */
  update(form, isFront) {
    put(this.title, "textContent", form.title);
    put(this.record, "textContent", form.record ? form.record.text : "");
    this.drawBar(form.record, isFront);
    put(this.message, "textContent", form.message);
    mark(this.message, "data-tone", form.message_tone);
    put(this.notice, "textContent", isFront ? model.view.notice || (model.view.failure?.text ?? "") : "");
    put(this.root, "inert", form.covered || model.looksOn);
    this.root.classList.toggle("front", isFront);
    this.root.classList.toggle("over", form.place === "over" && form.opener !== "" && !form.modal);
    this.markTabs();
  }
}

/**
 * @param {string} line
 * @param {Controls} controls
 */
function linesOf(line, controls) {
  for (const control of controls.values()) if (control.shape === "lines" && control.lines.includes(line)) return control;
  throw new Error("a line without its lines");
}

/**
 * A key in one of 500 entries must not lay out all rows, and what isn't on the screen isn't drawn.
 * @param {HTMLElement[]} rows
 */
function inChunks(rows) {
  const count = Math.ceil(rows.length / CHUNK);
  return Array.from({ length: count }, (_, at) => element("div", { class: "chunk" }, ...rows.slice(at * CHUNK, (at + 1) * CHUNK)));
}

/**
 * The columns of lines, as wide as their entries need.
 * @param {HTMLElement} row
 * @param {ControlData[]} controls
 */
function inColumns(row, controls) {
  const columns = controls.map((one) => `minmax(${Math.min(one.width, 8) + (one.unit ? 3 : 0)}ch, ${Math.min(one.width, 24) + (one.unit ? 4 : 0)}fr)`);
  row.style.gridTemplateColumns = `1.4rem ${columns.join(" ")} 5.8rem`;
  return row;
}

/**
 * The layers of the page: one for what is opened first, and one for each modal form and what is opened after it. A modal
 * form's layer is a dialog, which makes all else inert.
 */
export class Layers {
  /** @param {HTMLElement} place */
  constructor(place) {
    this.ground = element("div", { class: "layer ground" });
    place.append(this.ground);
    this.place = place;
    /** @type {Map<string, HTMLDialogElement>} */
    this.dialogs = new Map();
  }

  /**
   * Puts new forms into their layers. A form stays where it is, also if it comes to the front: that may be under a mouse
   * button that is down.
   * @param {FormData[]} forms
   * @param {Map<string, FormElement>} drawn
   */
  arrange(forms, drawn) {
    const inOrder = [...forms].sort((one, other) => (isOlder(one, other) ? -1 : 1));
    /** @type {HTMLElement} */
    let layer = this.ground;
    for (const form of inOrder) {
      if (form.modal) layer = this.dialogFor(form);
      const root = drawn.get(form.id)?.root;
      if (root && root.parentElement !== layer) moved(() => layer.append(root));
    }
    for (const [id, dialog] of this.dialogs) {
      if (forms.some((form) => form.modal && form.id === id)) continue;
      moved(() => dialog.close());
      dialog.remove();
      this.dialogs.delete(id);
    }
    this.top = layer;
  }

  /** @param {FormData} form */
  dialogFor(form) {
    let dialog = this.dialogs.get(form.id);
    if (!dialog) {
      dialog = asDialog(element("dialog", { class: "layer", "aria-labelledby": `t-${form.id}` }));
      this.place.append(dialog);
      this.dialogs.set(form.id, dialog);
      openDialog(dialog);
    }
    return dialog;
  }
}

/**
 * Escape is for the session, not for the browser.
 * @param {HTMLDialogElement} dialog
 */
export function asDialog(dialog) {
  dialog.setAttribute("closedby", "none");
  dialog.addEventListener("cancel", (event) => event.preventDefault());
  return dialog;
}

/** @param {HTMLDialogElement} dialog */
export function openDialog(dialog) {
  moved(() => dialog.showModal());
}
