/* Keeping a plan, and taking one back: what was typed is answered first, and a what-if is asked about. */

import { byId } from "./dom.js";
import { isMoving } from "./levers.js";

let keepWhenAnswered = false;

/** Keeps the plan on screen, once what was typed is answered. */
export function keep() {
  if (isMoving()) keepWhenAnswered = true;
  else byId("keep-button")?.click();
}

document.addEventListener("submit", (event) => {
  const { id, elements } = event.target;
  if (id === "keep-form" && isMoving()) {
    // The plan in the form is older than what was typed.
    event.preventDefault();
    keepWhenAnswered = true;
  }
  // What is on screen and not kept goes along, so that it can be asked about.
  if (elements.unkept) elements.unkept.value = byId("drop") ? location.pathname + location.search : "";
});
document.addEventListener("htmx:afterSettle", () => {
  if (!keepWhenAnswered || isMoving()) return;
  keepWhenAnswered = false;
  keep();
});
// What got no answer is not kept later, with another.
for (const kind of ["htmx:sendError", "htmx:responseError"]) {
  document.addEventListener(kind, () => {
    keepWhenAnswered = false;
  });
}
