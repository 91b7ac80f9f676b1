// What is under the mouse stays there while the mouse is used. An answer may bring a marker above a button, and the next press
// would miss it. And while something is pressed, the focus stays on it: a button that loses it before Space comes up isn't
// pressed at all.

/** How long after a move or a press, in milliseconds. */
const RESTS = 500;
/** @type {HTMLElement | null} */
let held = null;
let timer = 0;
let [right, down] = [0, 0];

function letGo() {
  if (held) held.style.translate = "";
  held = null;
  [right, down] = [0, 0];
}

/** @param {PointerEvent} event */
function hold(event) {
  const found = event.target instanceof Element ? event.target.closest("button, [data-control]") : null;
  if (found !== held) letGo();
  held = found instanceof HTMLElement ? found : null;
  // A hand that only moves about on what was moved lets it go in time.
  if (event.type === "pointermove" && (right || down)) return;
  clearTimeout(timer);
  timer = setTimeout(letGo, RESTS);
}

/**
 * Draws, and puts what is under the mouse back to where it was.
 * @param {() => void} draw
 */
export function underHand(draw) {
  const before = held?.getBoundingClientRect();
  draw();
  const after = held?.getBoundingClientRect();
  if (!held || !before?.width || !after?.width) return;
  right += before.left - after.left;
  down += before.top - after.top;
  held.style.translate = right || down ? `${right}px ${down}px` : "";
}

for (const type of ["pointermove", "pointerdown"]) document.addEventListener(type, (event) => hold(/** @type {PointerEvent} */ (event)), { capture: true, passive: true });

// The number of the press that hasn't come up yet.
let pressed = 0;
let presses = 0;
/** @type {() => void} */
let letUp = () => {};

/** True from the moment a mouse, a finger or Space goes down on something until it has come up. */
export function isPressing() {
  return pressed > 0;
}

/** @param {() => void} act what is done once nothing is pressed any more */
export function onceUp(act) {
  letUp = act;
}

/** @param {Event} event */
function isPress(event) {
  if (!(event instanceof KeyboardEvent)) return true;
  return event.key === " " && event.target instanceof Element && event.target.matches("button, [type=checkbox]");
}

/** @param {Event} event */
function goesDown(event) {
  if (isPress(event)) pressed = presses += 1;
}

/** @param {Event} event */
function comesUp(event) {
  if (event instanceof KeyboardEvent && event.key !== " ") return;
  const ended = pressed;
  // The browser makes its click after what ends the press.
  setTimeout(() => {
    if (!isPressing() || pressed !== ended) return;
    pressed = 0;
    letUp();
  });
}

for (const type of ["pointerdown", "keydown"]) document.addEventListener(type, goesDown, { capture: true, passive: true });
for (const type of ["pointerup", "pointercancel", "keyup"]) document.addEventListener(type, comesUp, { capture: true, passive: true });
addEventListener("blur", comesUp);
