// Draws what the session shows.

import { element, focusOn, moved, put, quiet, shown } from "./dom.js";
import { FormElement, Layers, asDialog, openDialog } from "./forms.js";
import { settle } from "./fields.js";
import { underHand } from "./hand.js";
import { enter, followFocus, guard, isQuiet, listen, showRefused } from "./keys.js";
import { connect, handOver, isOver, isSettled, leftOver, model, onChange, send, texts } from "./link.js";

/** @typedef {{ id: string, root: HTMLDialogElement, buttons: HTMLButtonElement[], since: number }} Prompt */
/** @typedef {import("./told").News} News */

/** @param {string} id */
function byId(id) {
  const found = document.getElementById(id);
  if (!found) throw new Error(`the page has no #${id}`);
  return found;
}

const place = byId("forms");
const state = byId("state");
const foot = byId("foot");
const offers = byId("offers");
// Where screen readers hear what changes: politely, and what was refused at once.
const polite = element("p", { role: "status" });
const assertive = element("p", { role: "alert" });
const voices = element("div", { class: "unseen" }, polite, assertive);
const layers = new Layers(place);
/** @type {Map<string, FormElement>} */
const drawn = new Map();
/** @type {{ drawn: Map<string, FormElement>, prompt: Prompt | null, layer: HTMLElement }} */
const stage = { drawn, prompt: null, layer: document.body };
/** @type {Map<string, string>} */
const said = new Map();
/** @type {string[]} */
let spoken = [];

function drawPrompt() {
  const asked = model.view.prompt;
  if (stage.prompt && stage.prompt.id === asked?.id) return;
  const { prompt } = stage;
  if (prompt) {
    moved(() => prompt.root.close());
    prompt.root.remove();
    stage.prompt = null;
  }
  if (!asked) return;
  const buttons = asked.buttons.map((caption) => {
    const made = quiet(caption, () => send({ verb: "answer", text: caption }), { class: "" }, { once: true });
    made.classList.toggle("accepts", caption === asked.default);
    return made;
  });
  const root = element(
    "dialog",
    { class: "prompt top", role: "alertdialog", "aria-modal": "true", "aria-labelledby": "p-title", "aria-describedby": "p-text" },
    element("h1", { id: "p-title" }, asked.title),
    element("div", { id: "p-text" }, element("p", {}, asked.text), ...cellsOf(asked.table)),
    element("div", { class: "buttons" }, ...buttons),
  );
  root.dataset.tone = asked.tone;
  stage.prompt = { id: asked.id, root: asDialog(root), buttons, since: performance.now() };
  document.body.append(root);
  openDialog(root);
  const usual = buttons[Math.max(0, asked.buttons.indexOf(asked.default))];
  if (usual) focusOn(usual);
}

/**
 * A small table, its headings first: of a column, or of a row if it has none.
 * @param {string[][]} table
 */
function cellsOf([heads, ...rows]) {
  if (!heads) return [];
  const head = element("tr", {}, ...heads.map((text) => (text ? element("th", { scope: "col" }, text) : element("td"))));
  const body = rows.map(([caption = "", ...cells]) => {
    return element("tr", {}, element("th", { scope: "row" }, caption), ...cells.map((text) => element("td", {}, text)));
  });
  return [element("table", {}, element("thead", {}, head), element("tbody", {}, ...body))];
}

// The forms that can be opened: a row of buttons, or the whole page while none is open.
function drawOffers() {
  const isStart = model.view.forms.length === 0;
  put(offers, "hidden", model.view.offers.length === 0);
  put(offers, "inert", model.looksOn);
  offers.classList.toggle("start", isStart);
  const heading = byId("start");
  put(heading, "hidden", !isStart || offers.hidden);
  if (offers.childElementCount === model.view.offers.length) return;
  offers.replaceChildren(
    ...model.view.offers.map((offer) => {
      const made = quiet("", () => send({ verb: "open", text: offer.name }), { class: "offer" }, { once: true });
      made.append(element("strong", {}, offer.title), element("span", { class: "purpose" }, offer.purpose), element("kbd", {}, offer.keys));
      made.title = shown([offer.purpose, offer.keys].filter(Boolean).join(" · "));
      made.dataset.offer = offer.name;
      return made;
    }),
  );
}

/** @param {News} news */
function drawForms(news) {
  const forms = model.view.forms;
  for (const [id, form] of drawn) {
    if (forms.some((each) => each.id === id)) continue;
    for (const widget of form.widgets.values()) widget.close();
    form.root.remove();
    drawn.delete(id);
  }
  const isNew = new Set();
  for (const form of forms) {
    if (drawn.has(form.id)) continue;
    drawn.set(form.id, new FormElement(form));
    isNew.add(form.id);
  }
  layers.arrange(forms, drawn, model.view.prompt !== null);
  for (const form of forms) {
    const made = drawn.get(form.id);
    if (!made) continue;
    const all = news.all || isNew.has(form.id);
    const lines = form.controls.some((control) => control.shape === "lines" && news.changed?.has(control.id));
    if (all || lines || news.laidOut?.includes(form.id)) made.layOut(form);
    for (const control of form.controls) {
      if (all || news.changed?.has(control.id)) made.widgets.get(control.id)?.update(control);
    }
    made.update(form, form === forms.at(-1));
  }
}

function drawCalls() {
  const { forms, slow_calls: calls } = model.view;
  for (const form of forms) {
    const own = calls.filter((call) => call.form === form.id || (!call.form && form === forms.at(-1)));
    drawn.get(form.id)?.tellCalls(own);
  }
}

function refusal() {
  return model.view.notice || (model.view.failure?.text ?? "");
}

/**
 * What can be said of the front form, by what it is about: markers, its message, its place among the records, how many lines
 * there are, and what labels say.
 */
function sayable() {
  /** @type {Map<string, string>} */
  const found = new Map();
  const front = model.view.forms.at(-1);
  for (const call of model.view.slow_calls) found.set(`message ${call.id}`, call.text);
  if (!front) return found;
  found.set(`message ${front.id}`, front.message);
  found.set(`record ${front.id}`, front.record?.text ?? "");
  for (const control of front.controls) {
    found.set(`marker ${control.id}`, control.marker && `${control.caption}: ${control.marker}`);
    if (control.shape === "lines") found.set(`lines ${control.id}`, `${control.caption}: ${control.lines.length}`);
    if (control.shape === "label") found.set(`label ${control.id}`, [`${control.caption}:`, control.text, control.unit].join(" "));
  }
  return found;
}

// Says what is new, and takes back what is no longer so. What was refused is said at once, also a second time.
function speak() {
  const layer = stage.prompt?.root ?? layers.top ?? document.body;
  if (voices.parentElement !== layer) layer.append(voices, state);
  const now = sayable();
  const isTold = (/** @type {string} */ about) => /^(message|marker) /.test(about) || said.has(about);
  const news = [...now].filter(([about, text]) => text && said.get(about) !== text && isTold(about)).map(([, text]) => text);
  const isOld = spoken.some((text) => ![...now.values()].includes(text));
  said.clear();
  for (const [about, text] of now) said.set(about, text);
  if (news.length > 0 || isOld) {
    spoken = news;
    put(polite, "textContent", news.join(". "));
  }
  const refused = refusal();
  const again = refused && assertive.textContent === refused ? "\u00a0" : "";
  put(assertive, "textContent", refused + again);
}

/** @param {News} news */
function draw(news) {
  drawForms(news);
  drawCalls();
  drawOffers();
  // On the start page, or once all forms have closed, there is no form to say it.
  const waits = model.view.slow_calls.map((call) => call.text).join(" ");
  put(foot, "textContent", model.view.forms.length === 0 ? refusal() || waits : "");
  put(document, "title", model.view.forms.at(-1)?.title ?? texts.forms ?? "");
  drawPrompt();
  const layer = layers.top instanceof HTMLDialogElement ? layers.top : document.body;
  if (!layer.querySelector(":scope > .guard")) guard(layer);
  stage.layer = layer;
  if (isSettled()) settle();
  for (const control of news.taken ?? []) for (const form of drawn.values()) form.forget(control);
  if (news.lost?.length) tellLost(news.lost);
  speak();
  followFocus();
  if (news.acted) showRefused();
  for (const form of model.view.forms) {
    const made = drawn.get(form.id);
    if (news.acted && form === model.view.forms.at(-1) && made) made.isTried = true;
    made?.sumUp(form, enter);
  }
  tellLost(handOver());
}

/**
 * Texts that no form is left to show.
 * @type {string[]}
 */
const orphaned = [];

/**
 * A text that the session couldn't take isn't lost: it stands in the form, to be copied.
 * @param {import("./told").Lost[]} lost
 */
function tellLost(lost) {
  for (const { control, caption, text } of lost) {
    const form = drawn.get(control.split(".")[0] ?? "") ?? drawn.get(model.view.forms.at(-1)?.id ?? "");
    if (!form) orphaned.push(inWords({ control, caption, text }));
    form?.lost.set(control, inWords({ control, caption, text }));
    form?.tellLost();
  }
}

/** @param {import("./told").Lost} lost */
function inWords({ caption, text }) {
  return `${texts.not_taken} ${caption}${text ? `: ${text}` : ""}`;
}

document.addEventListener("mousedown", (event) => {
  for (const form of drawn.values()) {
    for (const widget of form.widgets.values()) {
      if (widget.isOpen && event.target instanceof Node && !widget.root.contains(event.target)) widget.close();
    }
  }
});

addEventListener("beforeunload", (event) => {
  if (!isOver() && model.view?.forms.some((form) => form.changed)) event.preventDefault();
});

/**
 * Says how it ended, in the form's words if it has any: accepted, cancelled and failed look different.
 * @param {boolean} late
 * @param {string} failed
 */
function end(late, failed) {
  const outcome = late ? null : model.view?.outcome;
  const verdict = !outcome ? "failed" : outcome.verdict === "accepted" ? "accepted" : "cancelled";
  const words = outcome ? outcome.text || (texts[`done_${verdict}`] ?? "") : failed || (late ? texts.late : texts.over) || "";

  for (const dialog of document.querySelectorAll("dialog")) dialog.remove();
  const last = element("h1", { class: `last ${verdict}`, tabIndex: -1 }, words);
  const rest = element("p", { class: "last" }, outcome ? (texts.over ?? "") : "");
  const lost = [...orphaned, ...leftOver().map(inWords)].map((text) => element("p", { class: "last lost" }, text));
  place.replaceChildren(last, ...lost, rest);
  offers.hidden = true;
  byId("start").hidden = true;
  foot.textContent = "";
  say("");
  focusOn(last);
  // A window of its own has no page to go back to, and may close itself.
  if (history.length === 1 && !late && lost.length === 0) close();
}

onChange((news) => {
  if (news.over) {
    end(news.late ?? false, news.failed ?? "");
  } else if (news.part) {
    for (const form of drawn.values()) form.widgets.get(news.part.list)?.got(news.part);
  } else {
    underHand(() => draw(news));
  }
});

/** @param {string} text */
function say(text) {
  put(state, "textContent", text);
  put(state, "hidden", text === "");
}

// Whoever drives the page can wait until it shows what came of everything.
Object.assign(document.body, { isQuiet });
listen(stage);
connect(say);
