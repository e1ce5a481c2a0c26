/* The levers' form: what was moved goes to the server, what comes back stands in the fields. */

import { byId, build } from "./dom.js";

const form = () => byId("levers");

/** Sends the form, with some of its fields set first. */
export function send(changes) {
  for (const [id, value] of Object.entries(changes)) byId(id).value = value;
  htmx.trigger(form(), "moved");
}

/** Moves a lever by so many steps. */
export function nudge(lever, steps) {
  send({ nudge: `${lever}:${steps > 0 ? "+" : ""}${steps}` });
}

/** Puts a hole on screen: here, or on the stack's page where this one has none. */
export function showHole(number) {
  if (form()) send({ "hole-on-screen": number, nudge: "hole:" });
  else if (build()) location.href = `${build().dataset.stack}?hole=${number}`;
}

/** Asks for the amount of a lever that brings a result to a figure. */
export function solve(lever, result, wanted) {
  const { elements } = form();
  elements.lever.value = lever;
  elements.result.value = result;
  elements.wanted.value = wanted;
  send({ solving: "1" });
}

/** The plan as it stands in the form, or nothing. */
export const plan = () => form()?.elements.plan.value;

// Bank and gasket change more than the figure in hand: the fields are written anew.
document.addEventListener(
  "change",
  (event) => {
    if (event.target.id === "scope") byId("nudge").value = "scope:";
    if (event.target.id === "lever-gasket") byId("refresh").value = "1";
  },
  true,
);

// The figures of the inverse question are not levers; they wait for their button.
for (const kind of ["input", "change"]) {
  document.addEventListener(
    kind,
    (event) => {
      if (event.target.closest?.(".solve")) event.stopPropagation();
    },
    true,
  );
}
document.addEventListener("click", (event) => {
  if (event.target.id === "solve") send({ solving: "1" });
});

// What is typed while an answer is on its way is put back after the fields were written anew.
const sinceAsked = new Map();
let onItsWay = false;

/** Whether something was typed that is not answered yet. */
export const isMoving = () => onItsWay || sinceAsked.size > 0;

document.addEventListener("input", (event) => {
  if (event.target.closest?.("#levers") && event.target.id) sinceAsked.set(event.target.id, event.target.value);
});
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.elt.id !== "levers") return;
  sinceAsked.clear();
  onItsWay = true;
});
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.elt.id === "levers") onItsWay = false;
});
document.addEventListener("htmx:oobAfterSwap", (event) => {
  if (event.detail.target.id !== "levers" || !sinceAsked.size) return;
  for (const [id, value] of sinceAsked) {
    const field = byId(id);
    if (field) field.value = value;
  }
  htmx.trigger(form(), "moved");
});
