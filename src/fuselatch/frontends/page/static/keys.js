// The user's keys: what is for the session, what for the page's own buttons, and what for the browser.
//
// The browser edits text, and moves the focus at a click. A key belongs to the field that has the focus on the screen. At
// Tab and Enter the page moves the focus at once to where the last view says that it goes, so that what is typed next is in
// its place however long the session takes. Each text travels with its control's id. Once the session has answered
// everything, the page follows it, where it says otherwise.

import { focusOn, isMoving } from "./dom.js";
import { isPressing, onceUp } from "./hand.js";
import { goesTo, isComplete, isHolding, isOver, isSettled, isTyping, model, send, whereFocusIs } from "./link.js";

/** @typedef {import("./forms.js").FormElement} FormElement */
/** @typedef {{ drawn: Map<string, FormElement>, prompt: import("./page.js").Prompt | null, layer: HTMLElement }} Stage */

// The milliseconds in which a prompt takes no Enter and no Space: they were meant for what was there before.
const TOO_SOON = 400;
const OWN = ".bar, nav, .tools, .heading, .close, .tabs, thead";
/** @type {Stage} */
let stage;
/** @type {string | undefined} */
let followed;
// An answer came while something was held down.
let putOff = false;
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

function isComposing() {
  return [...stage.drawn.values()].some((form) => [...form.widgets.values()].some((widget) => "isComposing" in widget && widget.isComposing));
}

/**
 * The session says where the focus is. While the user is ahead of it, composes a text or holds something down, nothing is moved,
 * and neither is who uses the page's own buttons, until the session's focus is another one.
 */
export function followFocus(comesBack = false) {
  putOff = isPressing();
  if (!isSettled() || stage.prompt || isComposing() || putOff) return;
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
  bring(focused);
}

/**
 * Brings the browser's focus to a control, with its text selected if the session says so, or is about to.
 * What was typed there already, and is only now handed over, isn't selected.
 * @param {import("./view").ControlData} control
 */
function bring(control, selected = control.selected && !isTyping(control.id)) {
  const widget = frontElement()?.widgets.get(control.id);
  if (!widget?.target) return;
  focusOn(widget.target);
  if (!selected || !(widget.target instanceof HTMLInputElement || widget.target instanceof HTMLTextAreaElement)) return;
  widget.target.select();
  if ("wasSelected" in widget) widget.wasSelected = true;
}

/**
 * Moves the focus at once to where Enter leads from a control, as the last view says.
 * @param {string} from
 */
function goAhead(from) {
  const all = stops();
  const next = all[all.findIndex((control) => control.id === from) + 1];
  if (next) arrive(next);
}

/** @param {import("./view").ControlData} control */
function arrive(control) {
  frontElement()?.turnToControl(control.id);
  goesTo(control.id);
  bring(control, true);
}

/** @typedef {{ own?: HTMLButtonElement[], control?: import("./view").ControlData, at?: Element }} Stop */

/**
 * All that Tab goes to, as it is seen: the page's own buttons in groups, and the controls. A grid's tools come after its
 * entries, and what closes the form comes last.
 * @returns {Stop[]}
 */
function ring() {
  const form = frontElement();
  const placed = stops().map((control) => ({ control, at: /** @type {Element | undefined} */ (form?.widgets.get(control.id)?.target) }));
  const groups = ownStops().map((own) => ({ own, at: own[0]?.closest(".grid") ? own.at(-1) : own[0] }));
  const isClose = (/** @type {{ at?: Element }} */ each) => each.at?.closest(".close") != null;
  const all = [...placed, ...groups].filter((each) => each.at?.isConnected);
  return all.sort((one, other) => {
    if (isClose(one) || isClose(other)) return Number(isClose(one)) - Number(isClose(other));
    const order = /** @type {Element} */ (one.at).compareDocumentPosition(/** @type {Element} */ (other.at));
    return order & Node.DOCUMENT_POSITION_FOLLOWING ? -1 : 1;
  });
}

/**
 * Where Tab leads from the page's own buttons or from a control.
 * @param {Element} at
 * @param {string} from
 * @param {boolean} back
 * @returns {Stop | undefined}
 */
function nextStop(at, from, back) {
  const all = ring();
  const isHere = (/** @type {Stop} */ stop) => (isOwn(at) ? stop.own?.includes(/** @type {any} */ (at)) : stop.control?.id === from);
  const here = all.findIndex(isHere);
  if (here < 0 && !isOwn(at)) return undefined;
  // From the tabs on, the page that is shown comes next, and not the first one.
  if (!back && at.closest(".tabs")) return all.slice(here + 1).find((stop) => !stop.at?.closest("[role=tabpanel][hidden]"));
  return all[here + (back ? -1 : 1)];
}

/** Brings the first thing that is wrong into view, if the focus was sent there; the focus may have been there before. */
export function showRefused() {
  const focused = front()?.controls.find((control) => control.focused);
  if (!focused || focused.marker_level !== "refuse" || !isSettled() || stage.prompt) return;
  const form = frontElement();
  form?.turnToControl(focused.id);
  const widget = form?.widgets.get(focused.id);
  (widget?.target ?? widget?.root)?.scrollIntoView({ block: "nearest" });
  widget?.marker.scrollIntoView({ block: "nearest" });
  if (document.activeElement === document.body) followFocus(true);
}

/**
 * Goes to a control, as a click does.
 * @param {import("./view").ControlData | undefined} control
 */
export function enter(control) {
  if (!control) return;
  const form = frontElement();
  form?.turnToControl(control.id);
  const target = form?.widgets.get(control.id)?.target;
  if (control.focused && target) focusOn(target);
  else target?.focus();
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
 * Tab from one of the page's own buttons. Returns true if the key is used up.
 * @param {Element} at
 * @param {boolean} back
 */
function goRound(at, back) {
  const next = nextStop(at, "", back);
  if (next?.own) next.own[0]?.focus();
  else if (next?.control?.id === whereFocusIs()) arrive(next.control);
  else if (next?.control) enter(next.control);
  else leave(back);
  return next !== undefined;
}

/**
 * Tab from a control. The session goes to its next control; if some of the page's own buttons lie before that, they are next
 * on the screen. Returns true if the key is used up.
 * @param {Element} at
 * @param {string} from
 * @param {boolean} back
 * @param {() => void} pressed
 */
function goOn(at, from, back, pressed) {
  const all = stops();
  const beyond = all[all.findIndex((control) => control.id === from) + (back ? -1 : 1)];
  const next = nextStop(at, from, back);
  if (beyond) {
    pressed();
    if (!next?.own) {
      arrive(beyond);
      return true;
    }
    frontElement()?.turnToControl(beyond.id);
    goesTo(beyond.id);
    followed = beyond.id;
  }
  if (next?.own) next.own[0]?.focus();
  else leave(back);
  return next !== undefined;
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
 * Deals with a key; returns true if nothing is left to do for the browser.
 * @param {KeyboardEvent} event
 * @param {Element} at
 * @returns {boolean}
 */
function deal(event, at) {
  const name = nameOf(event);
  const here = widgetAt(at);
  const { prompt } = stage;
  const pressed = () => {
    const { key, repeat, ctrlKey: ctrl, altKey: alt, shiftKey: shift } = event;
    send({ verb: "key", key, repeat, ctrl, alt, shift, ...(here && !prompt ? { control: here.id } : {}) });
    return true;
  };
  if (prompt) {
    if ((name === "Enter" || name === "Space") && performance.now() - prompt.since < TOO_SOON) return true;
    return (name === "Escape" || (name === "Enter" && !prompt.buttons.includes(/** @type {any} */ (at)))) && pressed();
  }
  const from = here?.id ?? whereFocusIs();
  if (here?.key(event)) return true;
  if (here?.passesOn(name) && !name.endsWith("Tab")) {
    here.goesAhead(name);
    return pressed();
  }
  if (name === "Ctrl+Z" && !here?.hasOwnText) return pressed();
  if (name === "Tab" || name === "Shift+Tab") return (at !== document.body || from !== "") && goOn(at, from, name === "Shift+Tab", pressed);
  if (name === "Enter") {
    if (at.tagName === "TEXTAREA") return isShortcut(name) && pressed();
    pressed();
    here?.entered();
    if (here && !staysAtEnter(here)) goAhead(from);
    return true;
  }
  return (name === "Escape" || isShortcut(name)) && pressed();
}

/**
 * The widget that has the browser's focus.
 * @param {Element} at
 */
function widgetAt(at) {
  return frontElement() && [...(frontElement()?.widgets.values() ?? [])].find((widget) => widget.target === at);
}

/**
 * True if the focus stays at Enter: the form's own button is pressed, a list takes its item, or the entry is refused.
 * @param {import("./fields.js").Widget} here
 */
function staysAtEnter(here) {
  const { shape, marker_level: level } = here.control;
  return shape === "button" || here.isListing || level === "refuse" || front()?.default !== "" || isShortcut("Enter");
}

/** True once the page shows what came of everything that was done in it. */
export function isQuiet() {
  return isOver() || (model.isThere && isSettled() && isComplete() && !isHolding());
}

/** @param {KeyboardEvent} event */
function onKey(event) {
  // While a text is composed, its keys are for whatever composes it.
  if (!model.isThere || isOver() || event.isComposing || event.keyCode === 229) return;
  const at = event.target instanceof Element ? event.target : document.body;
  const isTab = event.key === "Tab" && !event.ctrlKey && !event.altKey;
  if (event.key === "F6" && !stage.prompt) {
    if (isOwn(at)) followFocus(true);
    else ownStops()[0]?.[0]?.focus();
    event.preventDefault();
  } else if (isOwn(at) && !stage.prompt) {
    if (event.key === "Escape") followFocus(true);
    else if ((isTab && goRound(at, event.shiftKey)) || goWithin(event, at)) event.preventDefault();
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
      const to = ring().at(isStart ? 0 : -1);
      if (to?.own) to.own[0]?.focus();
      else enter(to?.control);
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
  onceUp(() => putOff && followFocus());
}
