// The user's keys: what is for the session, what for the page's own buttons, and what for the browser.

import { focusOn, isMoving } from "./dom.js";
import { asOf, isComplete, isMovingOn, isOver, isSettled, model, send } from "./link.js";

/** @typedef {import("./forms.js").FormElement} FormElement */
/** @typedef {{ drawn: Map<string, FormElement>, prompt: import("./page.js").Prompt | null, layer: HTMLElement }} Stage */

// The milliseconds in which a prompt takes no Enter and no Space: they were meant for what was there before.
const TOO_SOON = 400;
const OWN = ".bar, nav, .tools, .heading, .close, .tabs, thead";
const MODIFIERS = ["Shift", "Control", "Alt", "Meta"];
/** @type {Stage} */
let stage;
/** @type {string | undefined} */
let followed;
/**
 * Keys that come before the session has answered a Tab or a press: they are for what comes next, and wait for it.
 * @type {{ event: KeyboardEvent, serial: number }[]}
 */
let waiting = [];

/** @param {Element | null} node */
function isOwn(node) {
  return node?.closest(OWN) != null;
}

function front() {
  return model.view.forms.at(-1);
}

function frontElement() {
  return stage.drawn.get(front()?.id ?? "");
}

/** The page's own buttons and fields, which the session knows nothing of, in groups: Tab goes from one group to the next. */
function ownStops() {
  const root = frontElement()?.root;
  const within = (/** @type {string} */ selector) => [...(root?.querySelectorAll(selector) ?? [])];
  const groups = [...document.querySelectorAll("nav"), ...[".bar", ".heading, .grid, thead", ".close", ".tabs"].flatMap(within)];
  const usable = (/** @type {Element} */ group) => {
    const found = group.matches("button") ? [group] : [...group.querySelectorAll("button, input")];
    const own = /** @type {HTMLButtonElement[]} */ (found.filter((each) => isOwn(each)));
    return own.filter((each) => !each.disabled && each.offsetParent !== null && each.closest("[inert]") === null);
  };
  return groups.map(usable).filter((group) => group.length > 0);
}

/** The controls that the user can go to with Tab, in the session's order. */
function stops() {
  return (front()?.controls ?? []).filter((control) => control.enabled && control.takes_focus);
}

/**
 * The session says where the focus is. While the user is ahead of it, nothing is moved, and neither is who uses the page's
 * own buttons, until the session's focus is another one.
 */
export function followFocus(comesBack = false) {
  if (!isSettled() || stage.prompt) return;
  const focused = front()?.controls.find((control) => control.focused);
  const isSame = followed === focused?.id;
  followed = focused?.id;
  if (isSame && !comesBack && isOwn(document.activeElement)) return;
  const form = frontElement();
  if (focused && !isSame) form?.turnToControl(focused.id);
  const target = focused && form?.widgets.get(focused.id)?.target;
  if (!target || document.activeElement === target) return;
  if (comesBack) form?.turnToControl(focused.id);
  // What lies on another tab page is shown once the user goes on there.
  if (target.offsetParent === null) return;
  focusOn(target);
  if (focused.selected && target instanceof HTMLInputElement) target.select();
}

/**
 * Goes to a control, as a click does.
 * @param {import("./view").ControlData | undefined} control
 */
function enter(control) {
  if (!control) return;
  const form = frontElement();
  form?.turnToControl(control.id);
  if (control.focused) followFocus(true);
  else form?.widgets.get(control.id)?.target?.focus();
}

/**
 * Leaves the page's content: the browser goes on from its end, or from its beginning.
 * @param {boolean} back
 */
function leave(back) {
  const guards = stage.layer.querySelectorAll(":scope > .guard");
  const guard = /** @type {HTMLElement | undefined} */ (guards[back ? 0 : guards.length - 1]);
  if (guard) focusOn(guard);
}

/**
 * Tab in the ring of the page: its own buttons, group by group, then the form, then the browser. Returns true if the key is
 * used up.
 * @param {Element} at
 * @param {boolean} back
 */
function goRound(at, back) {
  const groups = ownStops();
  const place = groups.findIndex((group) => group.includes(/** @type {any} */ (at)));
  const next = groups[place + (back ? -1 : 1)];
  const form = frontElement();
  const shown = at.closest(".tabs") ? (form?.pages.get(form.page)?.controls ?? []) : [];
  const inside = back ? undefined : stops().find((control) => shown.includes(control.id));
  const into = inside ?? (next || back ? undefined : stops()[0]);
  if (into) enter(into);
  else if (next) next[0]?.focus();
  else leave(back);
  return into !== undefined || next !== undefined;
}

/**
 * Arrow keys within a group of the page's own buttons. Returns true if the key is used up.
 * @param {KeyboardEvent} event
 * @param {Element} at
 */
function goWithin(event, at) {
  const group = ownStops().find((each) => each.includes(/** @type {any} */ (at))) ?? [];
  const here = group.indexOf(/** @type {any} */ (at));
  if (at instanceof HTMLInputElement && at.value !== "") return false;
  /** @type {Record<string, number>} */
  const places = { ArrowLeft: here - 1, ArrowUp: here - 1, ArrowRight: here + 1, ArrowDown: here + 1, Home: 0, End: group.length - 1 };
  const to = places[event.key];
  if (to === undefined) return false;
  group[(to + group.length) % group.length]?.focus();
  return true;
}

/** @param {KeyboardEvent} event */
function nameOf(event) {
  /** @type {Record<string, string>} */
  const names = { " ": "Space", ArrowUp: "Up", ArrowDown: "Down", ArrowLeft: "Left", ArrowRight: "Right" };
  const key = names[event.key] ?? (event.key.length === 1 ? event.key.toUpperCase() : event.key);
  const held = [event.ctrlKey && "Ctrl", event.altKey && "Alt", event.shiftKey && "Shift"].filter(Boolean);
  return [...held, key].join("+");
}

/** @param {string} name */
function isShortcut(name) {
  return [...model.view.offers, ...(front()?.controls ?? [])].some((each) => each.keys === name);
}

/**
 * True if Tab leaves the form: to the browser after its last control, to the page's own buttons before its first.
 * @param {string} name
 */
function leavesForm(name) {
  const controls = stops();
  if (name === "Tab") return controls.at(-1)?.focused ?? true;
  return name === "Shift+Tab" && (controls[0]?.focused ?? true);
}

/**
 * Deals with a key; returns true if nothing is left to do for the browser.
 * @param {KeyboardEvent} event
 * @param {Element} at
 * @returns {boolean}
 */
function deal(event, at) {
  const name = nameOf(event);
  const pressed = () => {
    const { key, repeat, ctrlKey: ctrl, altKey: alt, shiftKey: shift } = event;
    send({ verb: "key", key, repeat, ctrl, alt, shift });
    return true;
  };
  const { prompt } = stage;
  if (prompt) {
    if ((name === "Enter" || name === "Space") && performance.now() - prompt.since < TOO_SOON) return true;
    return (name === "Escape" || (name === "Enter" && !prompt.buttons.includes(/** @type {any} */ (at)))) && pressed();
  }
  for (const form of stage.drawn.values()) {
    for (const widget of form.widgets.values()) {
      if (widget.target !== at) continue;
      if (widget.key(event)) return true;
      if (widget.passesOn(name)) return pressed();
    }
  }
  if (leavesForm(name)) {
    if (at === document.body) return false;
    const own = ownStops();
    if (name === "Shift+Tab" && own.length > 0) {
      own.at(-1)?.[0]?.focus();
      return true;
    }
    leave(name === "Shift+Tab");
    return false;
  }
  const newLine = name === "Enter" && at.tagName === "TEXTAREA";
  const isOurs = ["Tab", "Shift+Tab", "Escape"].includes(name) || (name === "Enter" && !newLine);
  return (isOurs || isShortcut(name)) && pressed();
}

/**
 * @param {Element} at
 * @param {KeyboardEvent} event
 */
function writeInto(at, event) {
  if (!(at instanceof HTMLInputElement || at instanceof HTMLTextAreaElement) || at.readOnly || event.ctrlKey || event.altKey) return;
  const [start, end] = [at.selectionStart ?? 0, at.selectionEnd ?? 0];
  if (event.key.length === 1) at.setRangeText(event.key, start, end, "end");
  else if (event.key === "Enter" && at instanceof HTMLTextAreaElement) at.setRangeText("\n", start, end, "end");
  else if (event.key === "Backspace") at.setRangeText("", start === end ? Math.max(0, start - 1) : start, end, "end");
  else return;
  at.dispatchEvent(new Event("input"));
}

/** Deals with the keys that have waited. */
export function catchUp() {
  while (waiting.length > 0 && !isMovingOn()) {
    const next = waiting.shift();
    if (!next) return;
    const at = document.activeElement ?? document.body;
    asOf(next.serial, () => {
      if (deal(next.event, at)) return;
      if (at instanceof HTMLButtonElement || (at instanceof HTMLInputElement && at.type === "checkbox")) {
        if (next.event.key === " " && !next.event.repeat) at.click();
      } else if (!stage.prompt) {
        writeInto(at, next.event);
      }
    });
  }
}

/** True once the page shows what came of everything that was done in it. */
export function isQuiet() {
  return isOver() || (model.isThere && isSettled() && isComplete() && waiting.length === 0);
}

/** @param {KeyboardEvent} event */
function onKey(event) {
  if (!model.isThere || isOver() || event.isComposing) return;
  const at = event.target instanceof Element ? event.target : document.body;
  const isTab = event.key === "Tab" && !event.ctrlKey && !event.altKey;
  if (event.key === "F6" && !stage.prompt) {
    if (isOwn(at)) followFocus(true);
    else ownStops()[0]?.[0]?.focus();
    event.preventDefault();
  } else if (isOwn(at) && !stage.prompt) {
    if (event.key === "Escape") followFocus(true);
    else if ((isTab && goRound(at, event.shiftKey)) || goWithin(event, at)) event.preventDefault();
  } else if (isMovingOn() && !MODIFIERS.includes(event.key) && !event.metaKey) {
    waiting.push({ event, serial: model.view.serial });
    event.preventDefault();
  } else if (deal(event, at)) {
    event.preventDefault();
  }
}

/**
 * A place at each end of a layer: who comes to the page from the browser goes on at the right one.
 * @param {HTMLElement} layer
 */
export function guard(layer) {
  const made = [true, false].map((isStart) => {
    const node = document.createElement("span");
    node.className = "guard";
    node.tabIndex = 0;
    node.addEventListener("focus", () => {
      if (isMoving()) return;
      const first = ownStops()[0]?.[0];
      if (isStart && first) first.focus();
      else enter(isStart ? stops()[0] : stops().at(-1));
    });
    return node;
  });
  if (made[0]) layer.prepend(made[0]);
  if (made[1]) layer.append(made[1]);
}

/** @param {Stage} given */
export function listen(given) {
  stage = given;
  document.addEventListener("keydown", onKey);
}
