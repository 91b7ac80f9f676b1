// One element for each open form, and the layers that they lie in.

import { element, fill, focusOn, mark, moved, put, quiet, shown } from "./dom.js";
import { Button, Field, Label, Tick, Widget } from "./fields.js";
import { isTooLong, model, send, texts } from "./link.js";
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
    // The elements of the layout, by what they show, and those of the layout before.
    /** @type {Map<string, HTMLElement>} */
    this.kept = new Map();
    /** @type {Map<string, HTMLElement>} */
    this.before = new Map();
    this.title = element("h1", { id: `t-${form.id}` });
    this.record = element("span", { class: "record" });
    this.close = quiet(texts.close ?? "", () => send({ verb: "close" }), { class: "close quiet" }, { sign: "cross", once: true });
    this.bar = this.makeBar();
    this.body = element("div", { class: "body" });
    this.message = element("p", { class: "message" });
    this.notice = element("p", { class: "notice" });
    // What was refused, each with its entry, once the user has tried to submit.
    this.summary = element("div", { class: "summary", role: "group", "aria-label": texts.to_check, hidden: true });
    this.isTried = false;
    // Texts that the session couldn't take, by control: they stay until the user has copied them.
    /** @type {Map<string, string>} */
    this.lost = new Map();
    this.lostText = element("span");
    const forget = () => {
      this.lost.clear();
      this.tellLost();
    };
    this.lostNotice = element("p", { class: "notice lost", hidden: true }, this.lostText, quiet(texts.close ?? "", forget, {}, { sign: "cross" }));
    const header = element("header", {}, this.title, this.record, this.close);
    // What handlers wait for that runs elsewhere, by the call's id.
    this.calls = element("div", { class: "calls" });
    this.root = element("section", { class: "form", "aria-labelledby": this.title.id }, header, this.bar, this.body, this.calls, this.message, this.notice, this.lostNotice);
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

  /**
   * The session has taken a text of this control since.
   * @param {string} control
   */
  forget(control) {
    if (this.lost.delete(control)) this.tellLost();
  }

  /**
   * Lists what is refused, each a way to its entry.
   * @param {FormData} form
   * @param {(control: ControlData) => void} goTo
   */
  sumUp(form, goTo) {
    const refused = form.controls.filter((control) => control.marker && control.marker_level === "refuse");
    if (refused.length === 0) this.isTried = false;
    put(this.summary, "hidden", !this.isTried || refused.length < 2);
    if (this.summary.hidden) return;
    const words = refused.map((control) => `${control.caption}: ${control.marker}`);
    if (words.join("\n") === this.summary.dataset.words) return;
    this.summary.dataset.words = words.join("\n");
const links = refused.map((control, at) => quiet(shown(control.caption), () => goTo(control), { name: "to_entry", title: shown(words[at] ?? "") }));
    this.summary.replaceChildren(element("span", {}, `! ${refused.length} ${texts.to_check}`), ...links);
  }

  /**
   * Tells what handlers wait for, and marks what is locked meanwhile.
   * @param {import("./view.d.ts").SlowCallData[]} calls
   */
  tellCalls(calls) {
    const isLocked = (/** @type {string} */ id) => calls.some((call) => call.locks_form || call.locks.some((each) => id === each || id.startsWith(`${each}.`)));
    for (const widget of this.widgets.values()) {
      if (widget.root.classList.toggle("locked", isLocked(widget.id)) !== widget.isLocked) {
        widget.isLocked = !widget.isLocked;
        widget.update(widget.control);
      }
    }
    mark(this.body, "aria-busy", calls.some((call) => call.locks_form) ? "true" : null);
    fill(this.calls, calls.map((call) => this.call(call)));
  }

  /** @param {import("./view.d.ts").SlowCallData} call */
  call(call) {
    const known = [...this.calls.children].find((each) => each instanceof HTMLElement && each.dataset.call === call.id);
    const made = known ?? element("div", { class: "call" }, element("span"), element("progress"));
    if (made instanceof HTMLElement && !known) {
      made.dataset.call = call.id;
      if (call.can_cancel) made.append(quiet(texts.cancel_call ?? "", () => send({ verb: "cancel_call", text: call.id }), { name: "cancel_call" }, { once: true }));
    }
    const [text, bar] = made.children;
    put(text, "textContent", [call.text, call.reported].filter(Boolean).join(" · "));
    if (bar instanceof HTMLProgressElement) {
      mark(bar, "aria-label", shown(call.text));
      mark(bar, "max", call.of ? `${call.of}` : null);
      mark(bar, "value", call.of ? `${call.done}` : null);
    }
    return made;
  }

  tellLost() {
    put(this.lostText, "textContent", [...this.lost.values()].join(" "));
    put(this.lostNotice, "hidden", this.lost.size === 0);
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

  /**
   * Lays out the rows. What is already there stays where it is: a node that leaves the page for a moment loses the focus,
   * what is being composed in it, and the click that is under way.
   * @param {FormData} form
   */
  layOut(form) {
    const at = document.activeElement;
    const controls = new Map(form.controls.map((control) => [control.id, control]));
    for (const id of [...this.widgets.keys()]) if (!controls.has(id)) this.widgets.delete(id);
    const strips = model.layouts[form.id] ?? [];
    const isTabbed = form.tabs && strips.some((strip) => strip.page !== "");
    this.before = this.kept;
    this.kept = new Map();
    this.pages.clear();
    /** @type {HTMLElement[]} */
    const rows = [];
    /** @type {Map<HTMLElement, HTMLElement[]>} */
    const inside = new Map();
    /** @type {HTMLElement | null} */
    let grid = null;
    for (const strip of strips) {
      const page = isTabbed && strip.page !== "" ? this.pageOf(strip, form, rows, inside) : null;
      if (page && strip.heading && strip.depth === 0 && strip.controls.length === 0) continue;
      page?.controls.push(...strip.controls);
      const into = (page && inside.get(page.panel)) ?? rows;
      if (!strip.line) {
        grid = null;
        into.push(this.strip(strip, controls));
        continue;
      }
      if (!grid) {
        const own = linesOf(strip.line, controls);
        grid = this.keep(`grid ${own.id}`, () => {
          const made = element("div", { class: "grid", role: "table" });
          made.addEventListener("paste", (event) => this.pasteRows(event, own.longest));
          return made;
        });
        mark(grid, "aria-label", own.caption);
        inside.set(grid, [this.heads(strip, controls)]);
        into.push(grid);
      }
      inside.get(grid)?.push(this.line(strip, controls));
    }
    for (const [node, children] of inside) fill(node, children);
    const last = rows.at(-1);
    if (last?.classList.contains("buttons")) rows.splice(-1, 0, this.summary);
    else rows.push(this.summary);
    fill(this.body, rows.length > 3 * CHUNK ? this.inChunks(rows) : rows);
    if (at instanceof HTMLElement && at !== document.activeElement && this.body.contains(at)) focusOn(at);
    // As wide as lines will need: what is beside it must not move when the first one is added.
    const isWide = form.controls.some((control) => control.shape === "lines" && control.columns.length > 2);
    this.root.classList.toggle("wide", isWide);
    if (isTabbed) this.turnTo(this.pages.has(this.page) ? this.page : ([...this.pages.keys()][0] ?? ""));
  }

  /**
   * Cells of a spreadsheet fill lines as one gesture; any other text is pasted by the browser.
   * @param {ClipboardEvent} event
   * @param {number} longest
   */
  pasteRows(event, longest) {
    const text = event.clipboardData?.getData("text/plain") ?? "";
    const into = [...this.widgets.values()].find((widget) => widget.target === event.target);
    const isRows = text.includes("\t") || (/[\r\n]+./.test(text) && !(event.target instanceof HTMLTextAreaElement));
    if (!into || !isRows) return;
    event.preventDefault();
    if (isTooLong(text, longest)) into.tellTooLong();
    else send({ verb: "paste_rows", control: into.id, text });
  }

  /**
   * Returns the element that had this key in the layout before, or makes one.
   * @template {HTMLElement} T
   * @param {string} key
   * @param {() => T} make
   * @returns {T}
   */
  keep(key, make) {
    let own = key;
    while (this.kept.has(own)) own += " again";
    const made = /** @type {T | undefined} */ (this.before.get(own)) ?? make();
    this.kept.set(own, made);
    return made;
  }

  /**
   * A key in one of 500 entries must not lay out all rows, and what isn't on the screen isn't drawn.
   * @param {HTMLElement[]} rows
   */
  inChunks(rows) {
    const count = Math.ceil(rows.length / CHUNK);
    return Array.from({ length: count }, (_, at) => {
      const chunk = this.keep(`chunk ${at}`, () => element("div", { class: "chunk" }));
      fill(chunk, rows.slice(at * CHUNK, (at + 1) * CHUNK));
      return chunk;
    });
  }

  /**
   * The tab page that a row lies on, made with the first.
   * @param {StripData} strip
   * @param {FormData} form
   * @param {HTMLElement[]} rows
   * @param {Map<HTMLElement, HTMLElement[]>} inside
   */
  pageOf(strip, form, rows, inside) {
    const known = this.pages.get(strip.page);
    if (known) return known;
    const tabs = this.kept.get("tabs") ?? this.keep("tabs", () => element("div", { class: "tabs", role: "tablist" }));
    mark(tabs, "aria-label", form.title);
    if (this.pages.size === 0) rows.push(tabs);
    const group = form.groups.find((each) => each.id === strip.page) ?? form.controls.find((each) => each.id === strip.page);
    const panel = this.keep(`panel ${strip.page}`, () => element("div", { class: "panel", role: "tabpanel", id: `p-${strip.page}`, "aria-labelledby": `b-${strip.page}` }));
    panel.dataset.caption = shown(group?.caption ?? "");
    const tab = this.keep(`tab ${strip.page}`, () => {
      const properties = { class: "quiet tab", role: "tab", id: `b-${strip.page}`, "aria-controls": panel.id };
      const made = element("button", { type: "button", ...properties }, element("span"));
      made.addEventListener("focus", () => this.turnTo(strip.page));
      made.addEventListener("click", () => made.focus());
      return made;
    });
    put(tab.firstElementChild, "textContent", group?.caption ?? "");
    tab.dataset.page = group?.name ?? "";
    const before = inside.get(tabs) ?? [];
    inside.set(tabs, [...before, tab]);
    rows.push(panel);
    inside.set(panel, []);
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
    const { columns } = linesOf(strip.line, controls);
    const captions = own.map((one) => (OWN_CAPTION.includes(one.shape) ? "" : one.caption + (one.required ? " *" : "")));
    const row = this.keep(`heads ${own.length} ${linesOf(strip.line, controls).id}`, () => {
      return element("div", { class: "line heads", role: "row" }, ...["#", ...captions, ""].map(() => element("span")));
    });
    ["#", ...captions, ""].forEach((text, at) => {
      put(row.children[at], "textContent", text);
      mark(/** @type {Element} */ (row.children[at]), "role", text ? "columnheader" : "cell");
      row.children[at]?.classList.toggle("figure", columns[at - 1]?.holds === "number");
    });
    return inColumns(row, own);
  }

  /**
   * @param {StripData} strip
   * @param {Controls} controls
   */
  line(strip, controls) {
    const widgets = strip.controls.map((id) => this.widget(controls.get(id)));
    const own = linesOf(strip.line, controls);
    for (const widget of widgets) {
      if (!OWN_CAPTION.includes(widget.control.shape)) widget.target?.setAttribute("aria-label", `${widget.control.caption} ${strip.caption}`);
    }
    const row = this.keep(`line ${strip.line} ${strip.controls.join()}`, () => {
      const number = element("span", { class: "number", role: "rowheader" });
      const cells = widgets.map((widget) => {
        const cell = element("span", { class: "cell", role: "cell" }, widget.root, widget.marker, widget.help);
        if (!OWN_CAPTION.includes(widget.control.shape)) cell.dataset.caption = shown(widget.control.caption);
        return cell;
      });
      const made = element("div", { class: "line", role: "row" }, number, ...cells, this.tools(strip.line, own.id));
      this.drags(made, number, strip.line, own.id);
      return made;
    });
    const number = /** @type {HTMLElement} */ (row.firstElementChild);
    put(number, "textContent", strip.caption);
    number.draggable = own.can_move;
    this.updateTools(/** @type {HTMLElement} */ (row.lastElementChild), strip.line, own);
    return inColumns(row, widgets.map((widget) => widget.control));
  }

  /**
   * A line is moved by its number, onto the line whose place it takes.
   * @param {HTMLElement} row
   * @param {HTMLElement} number
   * @param {string} line
   * @param {string} own the id of its lines
   */
  drags(row, number, line, own) {
    number.addEventListener("dragstart", (event) => {
      dragged = { line, from: own };
      if (event.dataTransfer) event.dataTransfer.effectAllowed = "move";
      event.dataTransfer?.setData("text/plain", number.textContent ?? "");
    });
    row.addEventListener("dragover", (event) => {
      if (dragged?.from === own) event.preventDefault();
    });
    row.addEventListener("drop", (event) => {
      event.preventDefault();
      if (dragged?.from === own && dragged.line !== line) {
        send({ verb: "move_line", control: dragged.line, text: `${this.placeOf(line, own)}` });
      }
      dragged = null;
    });
  }

  /**
   * The place of a line now, among its lines.
   * @param {string} line
   * @param {string} own the id of its lines
   */
  placeOf(line, own) {
    const lines = model.view.forms.find((form) => form.id === this.id)?.controls.find((control) => control.id === own);
    return lines?.shape === "lines" ? lines.lines.indexOf(line) : -1;
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
      const whole = this.keep(`lines ${own.id}`, () => {
        const add = quiet(texts.add_line ?? "", () => send({ verb: "add_line", control: own.id }), { name: "add" });
        const heading = element("div", {}, element("h2"), add);
        return element("div", { class: "lines" }, heading, ...widgets.map((widget) => widget.marker));
      });
      const heading = /** @type {HTMLElement} */ (whole.firstElementChild);
      heading.className = `heading ${depth}`;
      heading.dataset.control = own.name;
      put(heading.firstElementChild, "textContent", strip.caption);
      put(heading.lastElementChild, "disabled", !own.can_add);
      return whole;
    }
    if (strip.heading) {
      const heading = this.keep(`heading ${strip.caption}`, () => element("h2", {}, strip.caption));
      heading.className = depth;
      return heading;
    }
    const isAlone = widgets.length === 1 && only !== undefined && !OWN_CAPTION.includes(only.control.shape);
    const row = this.keep(`strip ${strip.controls.join()}`, () => {
      const isField = isAlone && only.target instanceof HTMLElement && "labels" in only.target;
      const caption = isField ? element("label", { class: "caption", for: `c-${only.id}` }) : element("span", { class: "caption" });
      caption.append(element("span"), element("span", { class: "needed", "aria-hidden": "true" }, " *"));
      const side = element("div", { class: "side" }, ...widgets.map((widget) => widget.root));
      return element("div", {}, caption, side, ...widgets.flatMap((widget) => [widget.marker, widget.help]));
    });
    const buttons = widgets.every((widget) => widget.control.shape === "button");
    row.className = `strip ${depth}${buttons ? " buttons" : ""}`;
    const caption = /** @type {HTMLElement} */ (row.firstElementChild);
    put(caption.firstElementChild, "textContent", strip.caption);
    put(caption.lastElementChild, "hidden", !isAlone || !only.control.required);
    for (const widget of widgets) {
      if (!isAlone && !OWN_CAPTION.includes(widget.control.shape)) widget.target?.setAttribute("aria-label", widget.control.caption);
    }
    return row;
  }

  /**
   * What can be done with a line as a whole.
   * @param {string} line
   * @param {string} own the id of its lines
   */
  tools(line, own) {
    const move = (/** @type {string} */ name, /** @type {number} */ by, /** @type {string} */ sign) => {
      return quiet(" ", () => send({ verb: "move_line", control: line, text: `${this.placeOf(line, own) + by}` }), { name }, { sign });
    };
    const gone = quiet(" ", () => send({ verb: "remove_line", control: line }), { name: "remove_line" }, { sign: "cross" });
    return element("span", { class: "tools", role: "cell" }, move("move_up", -1, "up"), move("move_down", 1, "down"), gone);
  }

  /**
   * @param {HTMLElement} tools
   * @param {string} line
   * @param {LinesData} own
   */
  updateTools(tools, line, own) {
    const at = own.lines.indexOf(line);
    /** @type {Record<string, boolean>} */
    const can = { move_up: own.can_move && at > 0, move_down: own.can_move && at < own.lines.length - 1, remove_line: own.can_remove };
    tools.dataset.line = `${own.name}[${at}]`;
    for (const each of tools.querySelectorAll("button")) {
      const name = `${texts[each.name]} ${at + 1}`;
      mark(each, "aria-label", name);
      put(each, "title", name);
      put(each, "disabled", !can[each.name]);
    }
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
 * The columns of lines, as wide as their entries need.
 * @param {HTMLElement} row
 * @param {ControlData[]} controls
 */
function inColumns(row, controls) {
  // A heading of numbers stands over its figures, and not over their unit.
  if (row.classList.contains("heads")) controls.forEach((one, at) => /** @type {HTMLElement} */ (row.children[at + 1]).style.setProperty("--unit", `${one.unit.length}`));
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
   * @param {boolean} isAsked a prompt lies above all
   */
  arrange(forms, drawn, isAsked) {
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
    for (const dialog of this.dialogs.values()) dialog.classList.toggle("top", dialog === layer && !isAsked);
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
