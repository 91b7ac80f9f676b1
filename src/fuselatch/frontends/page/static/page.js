// Draws the forms, and takes the user's keys.

import { element, focusOn, widgetOf, shown } from "./controls.js";
import { asOf, connect, isMovingOn, isOver, isSettled, model, onChange, send, texts } from "./link.js";

const place = document.getElementById("forms");
const state = document.getElementById("state");
const help = document.getElementById("help");
const offers = document.getElementById("offers");
const shade = element("div", { class: "shade" });
const drawn = new Map();
let prompt = null;
let dragged = null;
let followed = null;
shade.hidden = true;
document.body.append(shade);

class FormElement {
  constructor(form) {
    this.id = form.id;
    this.widgets = new Map();
    this.title = element("h1", { id: `t-${form.id}` });
    this.record = element("span", { class: "record" });
    this.close = element("button", { type: "button", class: "close", "aria-label": texts.close, title: texts.close }, "×");
    this.close.addEventListener("mousedown", (event) => event.preventDefault());
    this.close.addEventListener("click", () => send({ verb: "close" }));
    this.bar = element("div", { class: "bar", role: "group", "aria-label": texts.records });
    this.bar.hidden = true;
    for (const where of ["first", "previous", "next", "last", "new", "save", "remove"]) {
      this.bar.append(quiet(texts[where], () => send({ verb: "record", form: this.id, text: where }), { name: where }));
    }
    const key = element("input", { type: "text", class: "key", size: 8, placeholder: texts.go_to, "aria-label": texts.go_to, autocomplete: "off" });
    key.addEventListener("keydown", (event) => {
      if (event.key !== "Enter" || key.value === "") return;
      send({ verb: "record", form: this.id, text: key.value });
      key.value = "";
    });
    this.bar.append(key);
    this.body = element("div", { class: "body" });
    this.message = element("p", { class: "message", role: "status" });
    this.notice = element("p", { class: "notice", role: "alert" });
    this.root = element(
      "section",
      { class: "form", "aria-labelledby": this.title.id },
      element("header", {}, this.title, this.record, this.close),
      this.bar,
      this.body,
      this.message,
      this.notice,
    );
    this.root.dataset.form = form.name;
    this.layer = element("div", { class: "layer" }, this.root);
    const surface = (verb) => (event) => {
      if (event.target === this.body || event.target.parentElement === this.body) send({ verb, form: this.id });
    };
    if (form.hears.includes("clicked")) this.body.addEventListener("click", surface("press"));
    if (form.hears.includes("double_clicked")) this.body.addEventListener("dblclick", surface("double"));
    this.root.addEventListener("mousedown", () => {
      const front = model.view.forms.at(-1);
      if (front && front.id !== this.id && !this.root.inert) send({ verb: "to_front", form: this.id });
    });
  }

  widget(control) {
    let found = this.widgets.get(control.id);
    if (!found) {
      found = widgetOf(control);
      this.widgets.set(control.id, found);
    }
    return found;
  }

  layOut(form) {
    const controls = new Map(form.controls.map((control) => [control.id, control]));
    for (const id of [...this.widgets.keys()]) if (!controls.has(id)) this.widgets.delete(id);
    const rows = [];
    let grid = null;
    for (const strip of model.layouts[form.id]) {
      if (!strip.line) {
        grid = null;
        rows.push(this.strip(strip, controls));
        continue;
      }
      if (!grid) {
        grid = element("div", { class: "grid", role: "table", "aria-label": linesOf(strip.line, controls).caption }, this.heads(strip, controls));
        rows.push(grid);
      }
      grid.append(this.line(strip, controls));
    }
    this.body.replaceChildren(...rows);
    const widest = Math.max(0, ...model.layouts[form.id].map((strip) => (strip.line ? strip.controls.length : 0)));
    this.root.classList.toggle("wide", widest > 2);
  }

  // The headings above lines: a tick box and a button have their own captions.
  heads(strip, controls) {
    const captions = strip.controls.map((id) => controls.get(id)).map((one) => (["tick", "button"].includes(one.shape) ? "" : one.caption + (one.required ? " *" : "")));
    const cells = ["", ...captions, ""].map((text) => element("span", { role: "columnheader" }, text));
    return inColumns(element("div", { class: "line", role: "row" }, ...cells), strip.controls.map((id) => controls.get(id)));
  }

  line(strip, controls) {
    const widgets = strip.controls.map((id) => this.widget(controls.get(id)));
    for (const widget of widgets) {
      widget.root.setAttribute("role", "cell");
      if (!["tick", "button"].includes(widget.control.shape)) widget.target?.setAttribute("aria-label", `${widget.control.caption} ${strip.caption}`);
    }
    const number = element("span", { class: "number", role: "rowheader" }, strip.caption);
    const tools = this.tools(strip.line, controls);
    const row = element("div", { class: "line", role: "row" }, number, ...widgets.map((widget) => widget.root), tools);
    row.append(...widgets.map((widget) => widget.marker));
    this.drags(row, number, strip.line, linesOf(strip.line, controls));
    return inColumns(row, widgets.map((widget) => widget.control));
  }

  // A line is moved by its number, onto the line whose place it takes.
  drags(row, number, line, own) {
    number.draggable = own.can_move;
    number.addEventListener("dragstart", (event) => {
      dragged = { line, from: own.id };
      event.dataTransfer.effectAllowed = "move";
      event.dataTransfer.setData("text/plain", number.textContent);
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

  strip(strip, controls) {
    const widgets = strip.controls.map((id) => this.widget(controls.get(id)));
    const own = widgets[0]?.control;
    if (strip.heading && own?.shape === "lines") {
      const add = quiet(texts.add_line, () => send({ verb: "add_line", control: own.id }), { name: "add" });
      add.disabled = !own.can_add;
      const heading = element("h2", { class: `depth-${Math.min(strip.depth, 4)}` }, strip.caption, add);
      heading.dataset.control = own.name;
      return element("div", { class: "lines" }, heading, widgets[0].marker);
    }
    if (strip.heading) {
      const heading = element("h2", { class: `depth-${Math.min(strip.depth, 4)}` }, strip.caption);
      return heading;
    }
    const first = controls.get(strip.controls[0]);
    const alone = widgets.length === 1 && !["tick", "button"].includes(first.shape);
    const buttons = strip.controls.every((id) => controls.get(id).shape === "button");
    const row = element("div", { class: `strip depth-${Math.min(strip.depth, 4)}${buttons ? " buttons" : ""}` });
    const caption = alone ? element("label", { class: "caption", for: `c-${first.id}` }) : element("span", { class: "caption" });
    caption.append(shown(strip.caption));
    if (alone && first.required) caption.append(element("span", { class: "needed", "aria-hidden": "true" }, " *"));
    const side = element("div", { class: "side" });
    for (const [at, widget] of widgets.entries()) {
      if (!alone && !["tick", "button"].includes(controls.get(strip.controls[at]).shape)) {
        widget.target?.setAttribute("aria-label", controls.get(strip.controls[at]).caption);
      }
      side.append(widget.root);
    }
    row.append(caption, side, ...widgets.map((widget) => widget.marker));
    return row;
  }

  // What can be done with a line as a whole.
  tools(line, controls) {
    const own = linesOf(line, controls);
    const at = own.lines.indexOf(line);
    const move = (name, to) => {
      const made = quiet(texts[name], () => send({ verb: "move_line", control: line, text: `${to}` }), { name }, name === "move_up" ? "↑" : "↓");
      made.disabled = !own.can_move || to < 0 || to >= own.lines.length;
      return made;
    };
    const gone = quiet(texts.remove_line, () => send({ verb: "remove_line", control: line }), { name: "remove_line" }, "×");
    gone.disabled = !own.can_remove;
    const made = element("span", { class: "tools", role: "cell" }, move("move_up", at - 1), move("move_down", at + 1), gone);
    made.dataset.line = `${own.name}[${at}]`;
    return made;
  }

  drawBar(record, isFront) {
    this.bar.hidden = !record;
    if (!record) return;
    const { position, total, changed, can_remove } = record;
    const off = {
      first: total === 0 || position === 1, previous: total === 0 || position === 1, next: position === 0,
      last: total === 0 || position === total, new: position === 0 && !changed, save: !changed, remove: !can_remove,
    };
    for (const each of this.bar.children) each.disabled = (off[each.name] ?? total === 0) || !isFront;
  }

  // A form stays at its place on the page, in the order of opening: it may come to the front under a mouse button that is down.
  // What was opened after a modal form floats as it does.
  update(form, forms) {
    const at = forms.indexOf(form);
    const isFront = at === forms.length - 1;
    const floats = form.modal || forms.some((other) => other.modal && isOlder(other, form));
    this.title.textContent = shown(form.title);
    this.record.textContent = shown(form.record ? form.record.text : "");
    this.drawBar(form.record, isFront);
    this.message.textContent = shown(form.message);
    this.message.dataset.tone = form.message_tone;
    this.notice.textContent = shown(isFront ? model.view.notice || (model.view.failure?.text ?? "") : "");
    this.layer.className = `layer ${form.modal ? "modal" : form.place}${floats ? " floating" : ""}`;
    this.layer.style.zIndex = floats ? 2 * (at + 1) : "";
    this.root.inert = form.covered;
    this.root.classList.toggle("front", isFront);
  }
}

function linesOf(line, controls) {
  return [...controls.values()].find((control) => control.lines.includes(line));
}

// The columns of lines, as wide as their entries need.
function inColumns(row, controls) {
  const columns = controls.map((one) => `minmax(${Math.min(one.width, 8) + (one.unit ? 3 : 0)}ch, ${Math.min(one.width, 24) + (one.unit ? 4 : 0)}fr)`);
  row.style.gridTemplateColumns = `1.4rem ${columns.join(" ")} 5.8rem`;
  return row;
}

// A button of the page itself: it takes no focus from the form. `sign`: drawn in place of its name.
function quiet(name, act, properties, sign) {
  const made = element("button", { type: "button", class: "quiet", ...properties }, sign ?? name);
  if (sign) {
    made.setAttribute("aria-label", name);
    made.title = name;
  }
  made.addEventListener("mousedown", (event) => event.preventDefault());
  made.addEventListener("click", act);
  return made;
}

function isOlder(one, other) {
  return Number(one.id) < Number(other.id);
}

// The shade lies under the last modal form, and under what was opened after it.
function drawShade(forms) {
  const modal = forms.filter((form) => form.modal).sort((one, other) => (isOlder(one, other) ? 1 : -1))[0];
  shade.hidden = !modal;
  if (modal) shade.style.zIndex = 2 * (forms.findIndex((form) => !isOlder(form, modal)) + 1) - 1;
}

function drawPrompt() {
  const asked = model.view.prompt;
  if (prompt && prompt.id === asked?.id) return;
  prompt?.root.remove();
  prompt = null;
  if (!asked) return;
  const buttons = asked.buttons.map((caption) => {
    const made = element("button", { type: "button" }, caption);
    made.classList.toggle("accepts", caption === asked.default);
    made.addEventListener("click", () => send({ verb: "answer", text: caption }));
    return made;
  });
  const box = element(
    "div",
    { class: "prompt", role: "alertdialog", "aria-modal": "true", "aria-labelledby": "p-title", "aria-describedby": "p-text" },
    element("h1", { id: "p-title" }, asked.title),
    element("div", { id: "p-text" }, element("p", {}, asked.text), ...cellsOf(asked.table)),
    element("div", { class: "buttons" }, ...buttons),
  );
  box.dataset.tone = asked.tone;
  prompt = { id: asked.id, root: element("div", { class: "layer asking" }, box), buttons };
  document.body.append(prompt.root);
  focusOn(buttons[Math.max(0, asked.buttons.indexOf(asked.default))]);
}

// A small table, its headings first: of a column, or of a row if it has none.
function cellsOf([heads, ...rows]) {
  if (!heads) return [];
  const head = element("tr", {}, ...heads.map((text) => (text ? element("th", { scope: "col" }, text) : element("td", {}))));
  const body = rows.map(([caption, ...cells]) => {
    return element("tr", {}, element("th", { scope: "row" }, caption), ...cells.map((text) => element("td", {}, text)));
  });
  return [element("table", {}, element("thead", {}, head), element("tbody", {}, ...body))];
}

function drawOffers() {
  if (offers.childElementCount === model.view.offers.length) return;
  offers.hidden = model.view.offers.length === 0;
  offers.replaceChildren(
    ...model.view.offers.map((offer) => {
      const made = element("button", { type: "button", title: [offer.purpose, offer.keys].filter(Boolean).join(" · ") }, offer.title);
      made.dataset.offer = offer.name;
      made.addEventListener("mousedown", (event) => event.preventDefault());
      made.addEventListener("click", () => send({ verb: "open", text: offer.name }));
      return made;
    }),
  );
}

function draw(news) {
  const forms = model.view.forms;
  for (const [id, form] of drawn) {
    if (!forms.some((each) => each.id === id)) {
      form.layer.remove();
      drawn.delete(id);
    }
  }
  for (const form of forms) {
    let made = drawn.get(form.id);
    const isNew = !made;
    if (isNew) {
      made = new FormElement(form);
      drawn.set(form.id, made);
      place.append(made.layer);
    }
    if (isNew || news.all || news.laidOut?.includes(form.id)) made.layOut(form);
    if (form.controls.some((control) => control.shape === "lines" && news.changed?.has(control.id))) made.layOut(form);
    for (const control of form.controls) {
      if (news.all || isNew || news.changed?.has(control.id)) made.widgets.get(control.id)?.update(control);
    }
    made.update(form, forms);
  }
  place.classList.toggle("looks-on", model.looksOn);
  for (const made of drawn.values()) if (model.looksOn) made.root.inert = true;
  offers.inert = model.looksOn;
  drawShade(forms);
  drawOffers();
  help.textContent = shown(model.view.help);
  document.title = forms.at(-1)?.title ?? document.title;
  drawPrompt();
  if (!prompt) followFocus();
}

// The session says where the focus is. While the user is ahead of it, nothing is moved, and neither is who uses the page's own
// buttons, until the session's focus is another one.
function followFocus(comesBack = false) {
  if (!isSettled()) return;
  const front = model.view.forms.at(-1);
  const focused = front?.controls.find((control) => control.focused);
  const isSame = followed === focused?.id;
  followed = focused?.id;
  if (isSame && !comesBack && isOwn(document.activeElement)) return;
  const target = focused && drawn.get(front.id).widgets.get(focused.id)?.target;
  if (target && document.activeElement !== target) {
    focusOn(target);
    if (focused.selected) target.select?.();
  }
}

function shortcut(event) {
  const names = { " ": "Space", ArrowUp: "Up", ArrowDown: "Down", ArrowLeft: "Left", ArrowRight: "Right" };
  const key = names[event.key] ?? (event.key.length === 1 ? event.key.toUpperCase() : event.key);
  const held = [event.ctrlKey && "Ctrl", event.altKey && "Alt", event.shiftKey && "Shift"].filter(Boolean);
  return [...held, key].join("+");
}

function isShortcut(name) {
  const front = model.view.forms.at(-1);
  const keys = [...model.view.offers, ...(front?.controls ?? [])].map((each) => each.keys);
  return keys.includes(name);
}

// The page's own buttons and fields, which the session knows nothing of: F6 goes there and back, Tab goes on among them.
function ownOnes() {
  const front = drawn.get(model.view.forms.at(-1)?.id);
  const found = [".bar button", ".bar input", ".body .quiet", ".close"].flatMap((each) => [...(front?.root.querySelectorAll(each) ?? [])]);
  return [...offers.querySelectorAll("button"), ...found].filter((each) => !each.disabled && each.offsetParent !== null);
}

function isOwn(node) {
  return node.closest?.(".bar, nav, .tools, .lines h2, .close") != null;
}

function goToOwn(at) {
  if (isOwn(at)) followFocus(true);
  else ownOnes()[0]?.focus();
}

// Deals with a key; returns true if nothing is left to do for the browser.
function deal(event, at) {
  const name = shortcut(event);
  const pressed = () => {
    const { key, repeat, ctrlKey: ctrl, altKey: alt, shiftKey: shift } = event;
    send({ verb: "key", key, repeat, ctrl, alt, shift });
    return true;
  };
  if (prompt) return (name === "Escape" || (name === "Enter" && !prompt.buttons.includes(at))) && pressed();
  for (const form of drawn.values()) {
    for (const widget of form.widgets.values()) {
      if (widget.target !== at) continue;
      if (widget.key(event)) return true;
      if (widget.passesOn(name)) return pressed();
    }
  }
  const newLine = name === "Enter" && at.tagName === "TEXTAREA";
  const isOurs = name === "Tab" || name === "Shift+Tab" || name === "Escape" || (name === "Enter" && !newLine);
  return (isOurs || isShortcut(name)) && pressed();
}

// Keys that come before the session has answered a Tab or a press: they are for what comes next, and wait for it.
let waiting = [];

function writeInto(at, event) {
  if (!(at instanceof HTMLInputElement || at instanceof HTMLTextAreaElement) || at.readOnly || event.ctrlKey || event.altKey) return;
  const [start, end] = [at.selectionStart, at.selectionEnd];
  if (event.key.length === 1) at.setRangeText(event.key, start, end, "end");
  else if (event.key === "Enter" && at instanceof HTMLTextAreaElement) at.setRangeText("\n", start, end, "end");
  else if (event.key === "Backspace") at.setRangeText("", start === end ? Math.max(0, start - 1) : start, end, "end");
  else return;
  at.dispatchEvent(new Event("input"));
}

// True once the page shows what came of everything that was done in it.
export function isQuiet() {
  return isOver() || (model.view !== null && isSettled() && waiting.length === 0);
}

function catchUp() {
  while (waiting.length > 0 && !isMovingOn()) {
    const { event, serial } = waiting.shift();
    const at = document.activeElement ?? document.body;
    asOf(serial, () => {
      if (deal(event, at)) return;
      if (at instanceof HTMLButtonElement || at.type === "checkbox") {
        if (event.key === " " && !event.repeat) at.click();
      } else if (!prompt) {
        writeInto(at, event);
      }
    });
  }
}

document.addEventListener("keydown", (event) => {
  if (model.view === null || isOver() || event.isComposing) return;
  if (event.key === "F6" && !prompt) {
    goToOwn(event.target);
    event.preventDefault();
    return;
  }
  if (isOwn(event.target) && !prompt) {
    if (event.key === "Escape") followFocus(true);
    return;
  }
  if (isMovingOn() && !["Shift", "Control", "Alt", "Meta"].includes(event.key) && !event.metaKey) {
    waiting.push({ event, serial: model.view.serial });
    event.preventDefault();
  } else if (deal(event, event.target)) {
    event.preventDefault();
  }
});

document.addEventListener("mousedown", (event) => {
  for (const form of drawn.values()) {
    for (const widget of form.widgets.values()) if (widget.isOpen && !widget.root.contains(event.target)) widget.close();
  }
});

addEventListener("beforeunload", (event) => {
  if (!isOver() && model.view?.forms.some((form) => form.changed)) event.preventDefault();
});

onChange((news) => {
  if (news.over) {
    place.replaceChildren();
    shade.hidden = true;
    prompt?.root.remove();
    help.textContent = shown("");
    say(texts.over);
    // A window of its own has no page to go back to, and may close itself.
    if (history.length === 1) close();
    return;
  }
  if (news.list) {
    for (const form of drawn.values()) form.widgets.get(news.list)?.got?.(news.items);
    return;
  }
  draw(news);
  catchUp();
});

function say(text) {
  state.textContent = shown(text);
  state.hidden = text === "";
}

connect(say);
