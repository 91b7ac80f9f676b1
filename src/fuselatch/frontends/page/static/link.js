// The connection with the session: what it told, and what the user did.

// What the page says itself, in the user's language.
export const texts = JSON.parse(document.body.dataset.texts);
export const model = { view: null, layouts: {}, acked: 0, looksOn: false };
const listeners = [];
let socket = null;
let sent = 0;
let over = false;
// The number of the last message that may move the focus or bring something up.
let moved = 0;
// The serial of the view that the user saw when a key was pressed that is only now dealt with.
let seen = null;
// Tells the session this page from another one, when it connects again.
const tab = crypto.getRandomValues(new Uint32Array(4)).join("-");
// For each control, the number of the last message about its text: until that is answered, the text here is newer.
const typed = new Map();

export function onChange(listener) {
  listeners.push(listener);
}

export function isOver() {
  return over;
}

export function isSettled() {
  return model.acked >= sent;
}

export function isMovingOn() {
  return moved > model.acked;
}

export function asOf(serial, act) {
  seen = serial;
  try {
    act();
  } finally {
    seen = null;
  }
}

export function isTyping(control) {
  return (typed.get(control) ?? 0) > model.acked;
}

export function send(gesture) {
  if (over || model.looksOn || socket?.readyState !== WebSocket.OPEN || model.view === null) return;
  sent += 1;
  if (gesture.verb === "type") typed.set(gesture.control, sent);
  // After a focus by mouse, the field that is meant has the browser's focus already.
  else if (!["focus", "hover", "unhover"].includes(gesture.verb)) moved = sent;
  // Only what takes long is told: a sign at each key would flicker.
  setTimeout(() => document.body.setAttribute("aria-busy", isSettled() ? "false" : "true"), 300);
  socket.send(JSON.stringify({ number: sent, serial: seen ?? model.view.serial, ...gesture }));
}

export function askForItems(control, start, stop) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ control, start, stop }));
}

function formOf(id) {
  return model.view.forms.find((form) => form.id === id);
}

function applyForm(form, change) {
  Object.assign(form, change.fields);
  const changed = new Set();
  const known = new Map(form.controls.map((control) => [control.id, control]));
  for (const [id, difference] of Object.entries(change.controls ?? {})) {
    changed.add(id);
    if (difference.whole) known.set(id, difference.whole);
    else Object.assign(known.get(id), difference.fields);
  }
  if (change.order) form.controls = change.order.map((id) => known.get(id));
  return changed;
}

function applyPatch(told) {
  Object.assign(model.view, told.view);
  const changed = new Set();
  for (const [id, change] of Object.entries(told.forms ?? {})) {
    if (change.whole) {
      model.view.forms = [...model.view.forms.filter((form) => form.id !== id), change.whole];
    } else {
      for (const control of applyForm(formOf(id), change)) changed.add(control);
    }
  }
  if (told.order) {
    const known = new Map(model.view.forms.map((form) => [form.id, form]));
    model.view.forms = told.order.map((id) => known.get(id));
  }
  const laidOut = Object.keys(told.layouts ?? {});
  Object.assign(model.layouts, told.layouts);
  return { changed, laidOut };
}

function hear(told) {
  document.body.setAttribute("aria-busy", "false");
  if ("looks_on" in told) model.looksOn = told.looks_on;
  if (told.over) {
    over = true;
    for (const listener of listeners) listener({ over: true });
    return;
  }
  if (told.list) {
    for (const listener of listeners) listener({ list: told.list, items: told.items });
    return;
  }
  if (told.layouts && told.view?.forms) {
    model.view = told.view;
    model.layouts = told.layouts;
    model.acked = sent;
    for (const listener of listeners) listener({ all: true });
    return;
  }
  model.acked = Math.max(model.acked, told.number);
  const { changed, laidOut } = applyPatch(told);
  for (const control of told.again ?? []) {
    changed.add(control.id);
    typed.delete(control.id);
  }
  for (const listener of listeners) listener({ changed, laidOut, refused: told.refused ?? "" });
}

export function connect(onLost) {
  const address = new URL("live", location.href);
  address.search = `?tab=${tab}`;
  address.protocol = address.protocol === "https:" ? "wss:" : "ws:";
  socket = new WebSocket(address);
  socket.onmessage = (event) => {
    hear(JSON.parse(event.data));
    onLost(model.looksOn ? texts.looks_on : "");
  };
  socket.onclose = (event) => {
    if (over) return;
    model.acked = sent;
    if (event.code === 1008) {
      over = true;
      onLost(event.reason || texts.elsewhere);
      return;
    }
    onLost(texts.lost);
    setTimeout(() => connect(onLost), 1000);
  };
}
