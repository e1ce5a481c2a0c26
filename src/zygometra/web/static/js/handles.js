/* Dragging a handle of the section. How many millimetres a step is, the drawing says. */

import { inDrawing } from "./dom.js";
import { send } from "./levers.js";

let held = null;

const height = (svg, event) => inDrawing(svg.getScreenCTM().inverse(), event).y;

document.addEventListener("pointerdown", (event) => {
  const handle = event.target.closest?.(".handle");
  if (!handle) return;
  event.preventDefault();
  handle.focus();
  held = {
    lever: handle.dataset.lever,
    mm: Number(handle.dataset.mm),
    now: Number(handle.dataset.now),
    from: height(handle.ownerSVGElement, event),
    last: "",
  };
  handle.classList.add("held");
});

document.addEventListener("pointermove", (event) => {
  const svg = held && document.querySelector("#drawing svg");
  if (!svg) return;
  const to = held.now + (height(svg, event) - held.from) * held.mm;
  const text = `${held.lever}:=${Math.max(to, 0).toFixed(3)}`;
  if (text === held.last) return;
  held.last = text;
  send({ nudge: text });
});

const letGo = () => {
  held = null;
};
document.addEventListener("pointerup", letGo);
document.addEventListener("pointercancel", letGo);

// The drawing came anew while a handle is held.
document.addEventListener("htmx:afterSettle", () => {
  if (held) document.querySelector(`#handle-${held.lever}`)?.classList.add("held");
});
