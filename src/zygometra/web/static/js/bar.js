/* On a phone the rooms and the tools of the bar wait behind a button. */

import { byId, on } from "./dom.js";

function show(open) {
  byId("bar-button").setAttribute("aria-expanded", String(open));
  byId("bar-button").closest(".bar").classList.toggle("open", open);
}

on("click", "#bar-button", (button) => show(button.getAttribute("aria-expanded") !== "true"));
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape" || byId("bar-button").getAttribute("aria-expanded") !== "true") return;
  show(false);
  byId("bar-button").focus();
});
