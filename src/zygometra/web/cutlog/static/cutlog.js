/* The log at the machine: zones are marked with a thumb; a pass lies in the queue of this device until it is there. */

import { byId } from "../js/dom.js";

const form = byId("pass");
const NEXT = { "": "touched", touched: "clean", clean: "" };
const MARK = { "": "", touched: "/", clean: "✓" };
const slot = (zone) => form.elements[`zone.${zone.dataset.zone}`];
const zones = form.querySelectorAll("[data-zone]");

function show(zone, state) {
  const before = zone.dataset.before ?? (zone.dataset.before = zone.dataset.state);
  const now = state || before;
  zone.dataset.state = now;
  zone.classList.toggle("is-new", Boolean(state));
  const text = zone.querySelector(".mark");
  if (text) text.textContent = MARK[now];
  zone.setAttribute("aria-label", `${zone.dataset.zone}: ${now || "not touched"}${state ? ", this pass" : ""}`);
}

function press(zone) {
  const next = NEXT[slot(zone).value];
  // What was touched before is touched: a press on it says that it is clean.
  slot(zone).value = next === "touched" && (zone.dataset.before ?? zone.dataset.state) ? "clean" : next;
  show(zone, slot(zone).value);
}

for (const zone of zones) {
  show(zone, slot(zone).value);
  zone.addEventListener("click", () => press(zone));
  zone.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== " ") return;
    event.preventDefault();
    press(zone);
  });
}

form.addEventListener("queue:taken", () => {
  // What comes next is the next pass, before the shop has this one.
  const { number, depth, sure } = form.elements;
  number.value = `${Number(number.value) + 1}`;
  for (const heading of form.querySelectorAll("h3, .button.is-link")) {
    heading.textContent = heading.textContent.replace(/\d+/, number.value);
  }
  depth.value = "";
  sure.checked = false;
  for (const zone of zones) {
    if (slot(zone).value) zone.dataset.before = slot(zone).value;
    slot(zone).value = "";
    show(zone, "");
  }
});
form.addEventListener("queue:filled", () => {
  for (const zone of zones) show(zone, slot(zone).value);
  for (const heading of form.querySelectorAll("h3, .button.is-link")) {
    heading.textContent = heading.textContent.replace(/\d+/, form.elements.number.value);
  }
});
