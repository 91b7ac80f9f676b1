// Lists: one that opens below its entry, one that is always open, and a table.

import { element, fill, focusOn, icon, mark, put, quiet, staysWhereItIs } from "./dom.js";
import { Field, Widget, waiting } from "./fields.js";
import { askForItems, goesTo, isSettled, isTyping, send, texts } from "./link.js";
import { KnownRows, RowWindow } from "./rows.js";

/** @typedef {import("./view").ChoiceData} ChoiceData */
/** @typedef {import("./view").TableData} TableData */
/** @typedef {import("./view").ItemData} ItemData */

const SEEN = 8;

/**
 * Returns true if the items that the view has are those of the list from `choices_from` on; else they match what is typed.
 * @param {ChoiceData} control
 */
function isInOrder(control) {
  return control.match_count === control.choice_count;
}

/**
 * The text of an item. Of two that read the same, each has its place as well, so that they can be told apart.
 * @param {(ItemData | undefined)[]} items
 * @param {number} at
 * @param {number} start the place of the first one
 */
function textOf(items, at, start) {
  const text = items[at]?.text ?? "";
  const isTwice = text !== "" && items.some((other, place) => place !== at && other?.text === text);
  return isTwice ? `${text} (${start + at + 1})` : text;
}

// Letters that come within this time are one text.
const TOGETHER = 1000;

/** What is typed in a list that is always open, or a table, to find an item. */
class Letters {
  constructor() {
    this.text = "";
    this.since = -TOGETHER;
  }

  /**
   * Sends a letter with those before it, if it follows them soon; returns true if it has sent them. The first letter, and one
   * that is pressed again, is a key of the session's.
   * @param {Widget} widget
   * @param {KeyboardEvent} event
   */
  take(widget, event) {
    const { enabled, read_only: isReadOnly, takes } = widget.control;
    if (event.key.length !== 1 || event.ctrlKey || event.altKey || event.metaKey) {
      if (event.key !== "Shift") this.text = "";
      return false;
    }
    if (!enabled || isReadOnly || !takes.includes("character")) return false;
    const isNext = performance.now() - this.since < TOGETHER && this.text !== "";
    if (event.key === " " && !isNext) return false;
    this.text = isNext ? this.text + event.key : event.key;
    this.since = performance.now();
    if (new Set(this.text).size === 1) return false;
    send({ verb: "type", control: widget.id, text: this.text });
    return true;
  }
}

/**
 * The lists that are open, which stay at their entries when the page moves.
 * @type {Set<Choice>}
 */
const opened = new Set();
for (const name of ["scroll", "resize"]) {
  addEventListener(name, () => opened.forEach((list) => list.putBelow()), { capture: true, passive: true });
}

export class Choice extends Field {
  /** @returns {ChoiceData} */
  get choice() {
    return /** @type {ChoiceData} */ (this.control);
  }

  /** @param {ChoiceData} control */
  constructor(control) {
    super(control);
    this.list = element("ul", { role: "none" });
    this.box = element("div", { class: "listed", popover: "manual", role: "listbox", id: `l-${control.id}`, "aria-label": control.caption }, this.list);
    if (control.multiple) mark(this.box, "aria-multiselectable", "true");
    staysWhereItIs(this.box);
    this.rows = new KnownRows((start, stop) => askForItems(this.id, start, stop));
    /** @type {ItemData[]} */
    this.matches = [];
    this.at = "";
    this.opensAhead = false;
    this.window = new RowWindow(this.box, this.list, SEEN, (start, stop) => this.drawItems(start, stop));
    mark(this.entry, "role", "combobox");
    mark(this.entry, "aria-controls", this.box.id);
    mark(this.entry, "aria-autocomplete", "list");
    mark(this.entry, "aria-expanded", "false");
    // A press on the arrow is one on the entry. A click anywhere opens the list, and what is typed then is a new text.
    this.arrow = element("label", { class: "arrow", for: this.entry.id, title: texts.list }, icon("caret"));
    staysWhereItIs(this.arrow);
    let wasOpen = false;
    this.root.addEventListener("mousedown", () => (wasOpen = this.isOpen || this.box.matches(":popover-open")), { capture: true });
    this.arrow.addEventListener("click", (event) => {
      if (wasOpen) {
        event.preventDefault();
        this.close();
      }
    });
    this.entry.addEventListener("click", () => {
      if (!wasOpen) this.open();
    });
    this.entry.addEventListener("blur", () => this.close());
    this.entry.after(this.arrow);
    this.searching = element("span", { class: "help searching", "aria-live": "polite", hidden: true });
    this.tokens = element("span", { class: "tokens" });
    this.root.append(this.box, this.searching);
    if (control.multiple) {
      this.entry.readOnly = true;
      this.root.classList.add("several");
      this.root.prepend(this.tokens);
    }
    this.entry.addEventListener("input", () => setTimeout(() => this.tellSearch(), 400));
  }

  /** @param {string} name */
  goesAhead(name) {
    this.opensAhead = name !== "Enter" && name !== "Alt+Up";
    waiting.add(this);
  }

  get isListing() {
    return this.opensAhead || this.choice.list_open || isTyping(this.id);
  }

  // A list may have a million items.
  tellSearch() {
    put(this.searching, "hidden", !isTyping(this.id) || !this.choice.enabled);
    put(this.searching, "textContent", this.searching.hidden ? "" : `${texts.searching} (${this.choice.choice_count})`);
  }

  // What is picked can be taken away one by one.
  drawTokens() {
    const { picked, choices, enabled, read_only: isReadOnly } = this.choice;
    const nodes = picked.map((text) => {
      const items = choices.filter((item) => item.picked && item.text === text);
      const takeAway = () => send({ verb: "pick", control: this.id, ...(items[0] ? { item: items[0].id } : { text }) });
      const token = quiet(`${texts.remove}: ${text}`, takeAway, { name: "token", tabIndex: -1 }, { sign: "cross", text });
      put(token, "disabled", !enabled || isReadOnly);
      return token;
    });
    this.tokens.replaceChildren(...nodes);
    // The tokens say it; the entry opens the list.
    this.entry.value = "";
    put(this.entry, "placeholder", picked.length > 0 ? "" : this.choice.placeholder);
  }

  open() {
    if (this.choice.read_only || !this.choice.enabled) return;
    if (document.activeElement !== this.entry) this.entry.focus();
    this.entry.select();
    this.isOpen = true;
    this.draw();
  }

  close() {
    if (!this.isOpen && this.box.matches(":popover-open") && document.activeElement === this.entry) return;
    this.isOpen = false;
    this.draw();
  }

  /** @param {import("./told").Part} part */
  got(part) {
    this.rows.got(part.start, part.items);
    this.draw();
  }

  /** @param {ChoiceData} control */
  update(control) {
    super.update(control);
    if (isSettled()) this.opensAhead = false;
    if (control.multiple) {
      this.entry.readOnly = true;
      this.drawTokens();
    }
    this.tellSearch();
    put(this.arrow, "hidden", !control.enabled || control.read_only);
    this.rows.age();
    this.draw();
  }

  draw() {
    const control = this.choice;
    const isListed = control.list_open && control.focused;
    const all = this.isOpen || (isListed && isInOrder(control));
    const count = all ? control.choice_count : control.choices.length;
    const isShown = (isListed || this.isOpen) && control.enabled && count > 0 && document.activeElement === this.entry;
    mark(this.entry, "aria-expanded", isShown ? "true" : "false");
    if (isShown) opened.add(this);
    else opened.delete(this);
    if (!isShown) {
      if (this.box.matches(":popover-open")) this.box.hidePopover();
      mark(this.entry, "aria-activedescendant", null);
      return;
    }
    this.matches = all ? [] : control.choices;
    if (isInOrder(control)) this.rows.put(control.choices_from, control.choices);
    this.at = isListed ? control.at_item : "";
    const near = isListed ? control.choices.findIndex((item) => item.id === this.at) : -1;
    if (!this.box.matches(":popover-open")) this.box.showPopover();
    this.window.update(count, all && near >= 0 ? near + control.choices_from : near);
    this.putBelow();
  }

  /**
   * @param {number} start
   * @param {number} stop
   */
  drawItems(start, stop) {
    const known = this.matches.length > 0 ? this.matches.slice(start, stop) : this.rows.between(start, stop).map((row) => row?.item);
    const nodes = known.map((item, at) => this.drawItem(item, start + at, textOf(known, at, start)));
    fill(this.list, nodes);
    const here = known.findIndex((item) => item && item.id === this.at);
    mark(this.entry, "aria-activedescendant", here >= 0 ? (nodes[here]?.id ?? null) : null);
    return nodes;
  }

  /**
   * @param {ItemData | undefined} item
   * @param {number} place
   * @param {string} shownText
   */
  drawItem(item, place, shownText) {
    const [id, text] = [`${this.box.id}-${place}`, shownText || " "];
    // As in a list that is always there.
    const same = [...this.list.children].find((node) => node.id === id);
    const isSame = same instanceof HTMLElement && same.textContent === text && same.dataset.item === (item?.id ?? "");
    const node = isSame ? same : element("li", { role: "option", id }, text);
    node.dataset.item = item?.id ?? "";
    mark(node, "aria-selected", item?.picked ? "true" : "false");
    mark(node, "aria-setsize", `${this.window.count}`);
    mark(node, "aria-posinset", `${place + 1}`);
    node.classList.toggle("at", item !== undefined && item.id === this.at);
    if (item && !isSame) node.addEventListener("click", () => this.pick(item));
    return node;
  }

  // Above all else, so that nothing cuts it off: below its entry, or above where there is more room.
  putBelow() {
    if (!this.box.isConnected) opened.delete(this);
    const entry = this.entry.getBoundingClientRect();
    const room = innerHeight - entry.bottom - 8;
    this.box.style.minWidth = `${entry.width}px`;
    this.box.style.maxHeight = `${Math.max(100, Math.min(320, Math.max(room, entry.top - 8)))}px`;
    const own = this.box.getBoundingClientRect();
    const isAbove = own.height > room && entry.top > room;
    this.box.style.top = `${isAbove ? entry.top - own.height - 3 : entry.bottom + 3}px`;
    this.box.style.left = `${Math.max(0, Math.min(entry.left, innerWidth - own.width - 4))}px`;
  }

  /** @param {ItemData} item */
  pick(item) {
    send({ verb: "pick", control: this.id, item: item.id });
    if (!this.choice.multiple) this.close();
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    if (event.key !== "Escape" || !this.isOpen) return false;
    this.close();
    return true;
  }

  /** @param {string} name */
  passesOn(name) {
    const mine = super.passesOn(name) || (this.isListing && this.choice.takes_open.includes(name));
    // The session moves in its own list, in place of the one that the arrow has opened.
    if (mine && name !== "Enter" && this.isOpen) this.close();
    return mine;
  }
}

/** A list that is always open, or radio buttons: the session moves in it, as in one that opens. */
export class Items extends Widget {
  /** @returns {ChoiceData} */
  get choice() {
    return /** @type {ChoiceData} */ (this.control);
  }

  /** @param {ChoiceData} control */
  constructor(control) {
    super(control);
    this.isRadio = control.look === "radio" && !control.multiple;
    const list = (this.list = element("ul", { role: this.isRadio ? "radiogroup" : "listbox", id: `c-${control.id}`, tabIndex: 0, class: "items" }));
    this.target = list;
    mark(list, "aria-label", control.caption);
    if (control.multiple) mark(list, "aria-multiselectable", "true");
    this.box = element("div", { class: `items ${this.isRadio ? "radios" : "box"}` }, list);
    staysWhereItIs(this.box);
    this.tellsFocus(list);
    this.rows = new KnownRows((start, stop) => askForItems(this.id, start, stop));
    this.window = new RowWindow(this.box, list, SEEN, (start, stop) => this.drawItems(start, stop));
    this.empty = element("p", { class: "help", hidden: true }, texts.empty ?? "");
    this.letters = new Letters();
    this.root.prepend(this.box, this.empty);
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    return this.letters.take(this, event);
  }

  /** @param {import("./told").Part} part */
  got(part) {
    this.rows.got(part.start, part.items);
    this.draw(false);
  }

  /** @param {ChoiceData} control */
  update(control) {
    super.update(control);
    this.rows.age();
    mark(this.list, "aria-disabled", control.enabled ? null : "true");
    put(this.empty, "hidden", control.choice_count > 0);
    mark(this.list, "aria-required", control.required ? "true" : null);
    this.draw(true);
  }

  /** @param {boolean} follows */
  draw(follows) {
    const control = this.choice;
    if (isInOrder(control)) this.rows.put(control.choices_from, control.choices);
    if (control.choice_count <= control.choices.length) this.rows.isOld = false;
    this.picked = new Set(control.choices.filter((item) => item.picked).map((item) => item.id));
    const here = control.choices.findIndex((item) => (control.list_open ? item.id === control.at_item : item.picked));
    this.window.update(control.choice_count, follows && here >= 0 && !this.isRadio ? here + control.choices_from : -1);
  }

  /**
   * @param {number} start
   * @param {number} stop
   */
  drawItems(start, stop) {
    const control = this.choice;
    const known = this.rows.between(start, stop).map((row) => row?.item);
    const isPicked = (/** @type {ItemData} */ item) => this.picked?.has(item.id) || (item.picked && this.picked?.size === 0);
    const nodes = known.map((item, at) => {
      const node = this.itemAt(item, start + at, textOf(known, at, start));
      mark(node, this.isRadio ? "aria-checked" : "aria-selected", item && isPicked(item) ? "true" : "false");
      mark(node, "aria-setsize", `${control.choice_count}`);
      mark(node, "aria-posinset", `${start + at + 1}`);
      node.classList.toggle("at", item !== undefined && item.id === control.at_item && control.list_open);
      return node;
    });
    fill(this.list, nodes);
    const here = known.findIndex((item) => item && (control.list_open ? item.id === control.at_item : isPicked(item)));
    mark(this.list, "aria-activedescendant", here >= 0 ? (nodes[here]?.id ?? null) : null);
    return nodes;
  }

  /**
   * An item that shows the same is the same element: a second click, or the end of a long one, must hit what was hit first.
   * @param {ItemData | undefined} item
   * @param {number} place
   * @param {string} shownText
   */
  itemAt(item, place, shownText) {
    const [id, text] = [`i-${this.control.id}-${place}`, shownText || " "];
    const same = [...this.list.children].find((node) => node.id === id);
    if (same instanceof HTMLElement && same.textContent === text && same.dataset.item === (item?.id ?? "")) return same;
    const node = element("li", { role: this.isRadio ? "radio" : "option", id }, text);
    node.dataset.item = item?.id ?? "";
    node.addEventListener("click", () => {
      if (!item || !this.control.enabled || this.control.read_only) return;
      focusOn(this.list);
      send({ verb: "pick", control: this.id, item: item.id });
      goesTo(this.id);
    });
    return node;
  }

}

export class Table extends Widget {
  /** @returns {TableData} */
  get shown() {
    return /** @type {TableData} */ (this.control);
  }

  /** @param {TableData} control */
  constructor(control) {
    super(control);
    this.heads = element("tr");
    this.body = element("tbody");
    const table = (this.table = element("table", { id: `c-${control.id}`, role: "grid", tabIndex: 0 }, element("thead", {}, this.heads), this.body));
    this.target = table;
    mark(table, "aria-label", control.caption);
    this.box = element("div", { class: "rows" }, table);
    this.count = element("p", { class: "help" });
    this.letters = new Letters();
    this.tellsFocus(table);
    this.root.prepend(this.box, this.count);
    this.rows = new KnownRows((start, stop) => askForItems(this.id, start, stop));
    table.addEventListener("click", (event) => {
      const item = event.detail < 2 ? this.itemAt(event) : undefined;
      if (item) send({ verb: "pick", control: this.id, item: item.id });
    });
    table.addEventListener("dblclick", (event) => {
      const item = this.itemAt(event);
      if (item) send({ verb: "double", control: this.id, item: item.id });
    });
    this.window = new RowWindow(this.box, table, 10, (start, stop) => this.drawRows(start, stop));
    this.drawn = "";
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    return this.letters.take(this, event);
  }

  /** @param {import("./told").Part} part */
  got(part) {
    this.rows.got(part.start, part.items, part.cells);
    this.draw(false);
  }

  /** @param {TableData} control */
  update(control) {
    super.update(control);
    this.rows.age();
    mark(this.table, "aria-rowcount", `${control.choice_count + 1}`);
    put(this.count, "textContent", control.choice_count === 0 ? texts.empty : `${texts.rows}: ${control.choice_count}`);
    const heads = JSON.stringify([control.columns, control.sorted_by, control.descending, control.enabled]);
    if (heads !== this.drawn) {
      this.drawn = heads;
      this.heads.replaceChildren(...control.columns.map((column) => this.drawHead(column)));
    }
    this.draw(true);
  }

  /** @param {import("./view").ColumnData} column */
  drawHead(column) {
    const { sorted_by: by, descending } = this.shown;
    const sort = quiet(column.caption, () => send({ verb: "sort", control: this.id, text: column.name }), { name: "sort" });
    sort.append(icon(column.name !== by ? "both" : descending ? "caret" : "raised"));
    sort.disabled = !this.control.enabled;
    const head = element("th", { scope: "col", class: column.holds === "number" ? "figure" : "" }, sort);
    mark(head, "aria-sort", column.name !== by ? null : descending ? "descending" : "ascending");
    return head;
  }

  /** @param {boolean} follows */
  draw(follows) {
    const control = this.shown;
    this.rows.put(control.choices_from, control.choices, control.cells);
    if (control.choice_count <= control.choices.length) this.rows.isOld = false;
    const here = control.choices.findIndex((item) => item.picked);
    this.window.update(control.choice_count, follows && here >= 0 ? here + control.choices_from : -1);
  }

  /**
   * @param {number} start
   * @param {number} stop
   */
  drawRows(start, stop) {
    const known = this.rows.between(start, stop);
    const nodes = known.map((row, at) => this.drawRow(row, start + at));
    fill(this.body, nodes);
    const here = known.findIndex((row) => row?.item.picked);
    mark(this.table, "aria-activedescendant", here >= 0 ? (nodes[here]?.id ?? null) : null);
    return nodes;
  }

  /**
   * A row that shows the same is the same element: a second click must hit what the first has hit.
   * @param {import("./rows.js").Row | undefined} row
   * @param {number} place
   */
  drawRow(row, place) {
    const id = `r-${this.id}-${place}`;
    const kinds = this.shown.columns.map((column) => (column.holds === "number" ? "figure" : ""));
    const cells = row?.cells ?? kinds.map(() => "…");
    const same = JSON.stringify([row?.item.id, cells]);
    const before = [...this.body.children].find((node) => node.id === id);
    const node =
      before instanceof HTMLTableRowElement && before.dataset.same === same
        ? before
        : element("tr", { id }, ...cells.map((text, at) => element("td", { role: "gridcell", class: kinds[at] }, text)));
    node.dataset.same = same;
    mark(node, "aria-selected", row?.item.picked ? "true" : "false");
    mark(node, "aria-rowindex", `${place + 2}`);
    return node;
  }

  /** @param {Event} event */
  itemAt(event) {
    const row = event.target instanceof Element ? event.target.closest("tbody tr") : null;
    const place = row ? Number(row.id.split("-").at(-1)) : -1;
    return this.control.enabled ? this.rows.known.get(place)?.item : undefined;
  }
}
