// The connection with the session: what it told, and what the user did.

import { mark } from "./dom.js";

/** @typedef {import("./view").ViewData} ViewData */
/** @typedef {import("./view").FormData} FormData */
/** @typedef {import("./told").StripData} StripData */
/** @typedef {import("./told").Told} Told */
/** @typedef {import("./told").News} News */
/** @typedef {import("./told").Gesture} Gesture */

/**
 * What the page says itself, in the user's language.
 * @type {Record<string, string>}
 */
export const texts = JSON.parse(document.body.dataset.texts ?? "{}");
/** @type {{ view: ViewData, layouts: Record<string, StripData[]>, acked: number, looksOn: boolean, isThere: boolean }} */
export const model = { view: /** @type {any} */ (null), layouts: {}, acked: 0, looksOn: false, isThere: false };
/** @type {((news: News) => void)[]} */
const listeners = [];
/** @type {WebSocket | null} */
let socket = null;
let sent = 0;
let over = false;
let tries = 0;
// True once this connection has told the view: what is done before that is sent after what was done before it.
let isJoined = false;
// The parts of lists that were asked for and haven't come yet.
let awaited = 0;
// Tells the session this page from another one, when it connects again.
const tab = [...crypto.getRandomValues(new Uint32Array(4))].join("-");
/**
 * The control to which the focus goes by what was sent, until the session has answered.
 * @type {string | null}
 */
let ahead = null;
/**
 * For each control, the number of the last message about its text: until that is answered, the text here is newer.
 * @type {Map<string, number>}
 */
const typed = new Map();
/**
 * The gestures that aren't answered yet. After a lost connection, those that the session hasn't seen are sent again.
 * @type {(Gesture & { number: number })[]}
 */
let unanswered = [];

/** @param {(news: News) => void} listener */
export function onChange(listener) {
  listeners.push(listener);
}

/** @param {News} news */
function announce(news) {
  for (const listener of listeners) listener(news);
}

export function isOver() {
  return over;
}

/** Where the session's focus will be once it has answered everything, as far as the page knows. */
export function whereFocusIs() {
  return ahead ?? model.view.forms.at(-1)?.controls.find((control) => control.focused)?.id ?? "";
}

/**
 * Notes where the session's focus goes by what was just sent.
 * @param {string} control
 */
export function goesTo(control) {
  ahead = control;
}

export function isSettled() {
  return model.acked >= sent;
}

export function isComplete() {
  return awaited === 0;
}

/** @param {string} control */
export function isTyping(control) {
  return held.has(control) || (typed.get(control) ?? 0) > model.acked;
}

/**
 * The texts that the session couldn't take, since a prompt or a dialog came before it: they stay in their fields, and are
 * handed over again.
 * @type {Map<string, string>}
 */
const held = new Map();

/**
 * The fields that were typed into: they may be gone when their text is refused.
 * @type {Map<string, { caption: string, masked: boolean }>}
 */
const typedInto = new Map();

/**
 * Hands over again what was held, once nothing is in front of it. Returns what can't be, since its form is gone.
 * @returns {import("./told").Lost[]}
 */
export function handOver() {
  /** @type {import("./told").Lost[]} */
  const lost = [];
  if (model.view.prompt || !isSettled()) return lost;
  for (const [control, text] of [...held]) {
    const form = model.view.forms.findIndex((each) => control.startsWith(`${each.id}.`));
    if (form >= 0 && form < model.view.forms.length - 1) continue;
    held.delete(control);
    if (form >= 0) send({ verb: "type", control, text });
    else if (text !== "") lost.push(lostAs(control, text));
  }
  return lost;
}

/**
 * Returns the texts that the session hasn't taken, once it is over.
 * @returns {import("./told").Lost[]}
 */
export function leftOver() {
  const left = new Map(held);
  for (const { verb, control = "", text = "" } of unanswered) if (verb === "type") left.set(control, text);
  return [...left].filter(([, text]) => text !== "").map(([control, text]) => lostAs(control, text));
}

/**
 * @param {string} control
 * @param {string} text
 */
function lostAs(control, text) {
  const { caption = "", masked = false } = typedInto.get(control) ?? {};
  return { control, caption, text: masked ? "" : text };
}

export function isHolding() {
  return held.size > 0;
}

/**
 * @param {string} text
 * @param {number} longest in bytes
 */
export function isTooLong(text, longest) {
  return new TextEncoder().encode(text).length > longest;
}

// While an answer is out, the server is asked each second if it is there: it answers also while a handler is at work.
const BEAT = 1000;
const STALLED = 3000;
let beats = 0;
let heard = 0;
let waitsSince = 0;
/** @type {(text: string) => void} */
let tellLine = () => {};

function beat() {
  beats = 0;
  if (over || unanswered.length === 0) return;
  if (isJoined && socket?.readyState === WebSocket.OPEN) socket.send("beat");
  if (performance.now() - Math.max(heard, waitsSince) > STALLED) tellLine(texts.stalled ?? "");
  beats = setTimeout(beat, BEAT);
}

/** @param {string} id */
function controlOf(id) {
  return model.view.forms.flatMap((form) => form.controls).find((each) => each.id === id);
}

/** @param {Gesture} gesture */
export function send(gesture) {
  if (over || model.looksOn || !model.isThere) return;
  sent += 1;
  if (gesture.verb === "type") {
    const { control = "" } = gesture;
    typed.set(control, sent);
    held.delete(control);
    const known = controlOf(control);
    if (known) typedInto.set(control, { caption: known.caption, masked: known.masked });
  }
  // Only what takes long is told: a sign at each key would flicker.
  setTimeout(() => mark(document.body, "aria-busy", isSettled() ? "false" : "true"), 300);
  if (unanswered.length === 0) waitsSince = performance.now();
  if (!beats) beats = setTimeout(beat, BEAT);
  const message = { number: sent, serial: model.view.serial, ...gesture };
  unanswered.push(message);
  if (isJoined && socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(message));
}

/**
 * Asks for a part of a list.
 * @param {string} control
 * @param {number} start
 * @param {number} stop
 */
export function askForItems(control, start, stop) {
  if (!isJoined || socket?.readyState !== WebSocket.OPEN) return;
  awaited += 1;
  socket.send(JSON.stringify({ control, start, stop }));
}

/**
 * @param {FormData} form
 * @param {import("./told").FormChange} change
 */
function applyForm(form, change) {
  Object.assign(form, change.fields);
  const changed = new Set();
  const known = new Map(form.controls.map((control) => [control.id, control]));
  for (const [id, difference] of Object.entries(change.controls ?? {})) {
    changed.add(id);
    if (difference.whole) known.set(id, difference.whole);
    else Object.assign(known.get(id) ?? {}, difference.fields);
  }
  if (change.order) form.controls = change.order.flatMap((id) => known.get(id) ?? []);
  return changed;
}

/** @param {Told} told */
function applyPatch(told) {
  Object.assign(model.view, told.view);
  const changed = new Set();
  for (const [id, change] of Object.entries(told.forms ?? {})) {
    if (change.whole) {
      model.view.forms = [...model.view.forms.filter((form) => form.id !== id), change.whole];
      continue;
    }
    const form = model.view.forms.find((each) => each.id === id);
    if (form) for (const control of applyForm(form, change)) changed.add(control);
  }
  if (told.order) {
    const known = new Map(model.view.forms.map((form) => [form.id, form]));
    model.view.forms = told.order.flatMap((id) => known.get(id) ?? []);
  }
  Object.assign(model.layouts, told.layouts);
  return { changed, laidOut: Object.keys(told.layouts ?? {}) };
}

/**
 * Takes the whole view, as it is told to a page that connects; what the session hasn't seen is sent again.
 * @param {Told} told
 */
function begin(told) {
  model.view = /** @type {ViewData} */ (told.view);
  model.layouts = told.layouts ?? {};
  model.acked = Math.max(model.acked, told.number ?? 0);
  model.isThere = true;
  isJoined = true;
  ahead = null;
  awaited = 0;
  tries = 0;
  unanswered = model.looksOn ? [] : unanswered.filter((message) => message.number > model.acked);
  if (model.looksOn) model.acked = sent;
  for (const message of unanswered) socket?.send(JSON.stringify(message));
  announce({ all: true });
}

/** @param {Told} told */
function hear(told) {
  heard = performance.now();
  if (told.beat) return;
  mark(document.body, "aria-busy", "false");
  if (told.looks_on !== undefined) model.looksOn = told.looks_on;
  if (told.over) {
    over = true;
    announce({ over: true, late: told.late, failed: told.failed });
    return;
  }
  if (told.list) {
    awaited = Math.max(0, awaited - 1);
    announce({ part: /** @type {import("./told").Part} */ (told) });
    return;
  }
  if (told.layouts && told.view?.forms) {
    begin(told);
    return;
  }
  model.acked = Math.max(model.acked, told.number ?? 0);
  const answered = unanswered.filter((message) => message.number <= model.acked);
  unanswered = unanswered.filter((message) => message.number > model.acked);
  /** @type {import("./told").Lost[]} */
  const lost = [];
  /** @type {string[]} */
  const taken = [];
  for (const { verb, control = "", text = "" } of answered) {
    if (verb !== "type") continue;
    const known = controlOf(control);
    // The session doesn't tell back what was typed.
    if (!told.refused) {
      taken.push(control);
      if (known && !known.masked) known.text = text;
    } else if (told.stale) held.set(control, text);
    else if (text !== "") lost.push(lostAs(control, text));
  }
  if (isSettled()) ahead = null;
  const { changed, laidOut } = applyPatch(told);
  for (const control of told.again ?? []) {
    changed.add(control.id);
    if (!held.has(control.id)) typed.delete(control.id);
  }
  const acted = answered.some(({ verb, key }) => verb === "press" || verb === "record" || key === "Enter");
  announce({ changed, laidOut, lost, taken, acted });
}

/** @param {(text: string) => void} say */
export function connect(say) {
  tellLine = say;
  const address = new URL("live", location.href);
  address.search = `?tab=${tab}`;
  address.protocol = address.protocol === "https:" ? "wss:" : "ws:";
  const made = (socket = new WebSocket(address));
  isJoined = false;
  made.onmessage = (event) => {
    hear(JSON.parse(event.data));
    if (!over) say(model.looksOn ? texts.looks_on ?? "" : "");
  };
  made.onclose = (event) => {
    isJoined = false;
    if (over) return;
    if (event.code === 1008) {
      over = true;
      say(event.reason || (texts.elsewhere ?? ""));
      return;
    }
    if (tries > 0) say(texts.lost ?? "");
    setTimeout(() => connect(say), tries === 0 ? 50 : 1000);
    tries += 1;
  };
}
