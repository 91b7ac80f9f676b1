// What is under the mouse stays there while the mouse is used. An answer may bring a marker above a button, and the next press
// would miss it.

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
