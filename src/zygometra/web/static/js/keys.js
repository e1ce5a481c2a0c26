/* Clicks and keys. A link with a letter (data-key) is followed by that letter. */

import { build, byId, isCommand, on } from "./dom.js";
import { isOpen, openFigure, openWorking } from "./dialog.js";
import { keep } from "./keep.js";
import { nudge, send, showHole, solve } from "./levers.js";

// What a click does, and Enter or the space bar on what is drawn as a button.
const ACTIONS = [
  ["[data-figure]", ({ figure }) => openFigure(figure)],
  ["[data-working]", ({ working, of }) => openWorking(working, of)],
  ["[data-hole]", ({ hole }) => showHole(hole)],
  ["[data-solve]", ({ solve: lever, result, wanted }) => solve(lever, result, wanted)],
];

function act(target, event) {
  for (const [selector, run] of ACTIONS) {
    const element = target.closest(selector);
    if (!element) continue;
    event.preventDefault();
    run(element.dataset);
    return;
  }
}

document.addEventListener("click", (event) => {
  if (event.target instanceof Element) act(event.target, event);
});
on("click", "[data-print]", () => window.print());
for (const button of document.querySelectorAll("[data-print]")) button.hidden = false;

const go = (address) => {
  location.href = address;
};
const LETTERS = {
  "?": () => go(document.body.dataset.keys),
  n: () => go(document.body.dataset.new),
  w: () => build() && openWorking("compression_ratio"),
  k: keep,
  u: () => byId("undo")?.click(),
  r: () => byId("redo")?.click(),
  d: () => byId("lever-deck_cut")?.focus(),
  h: () => byId("lever-head_cut")?.focus(),
  c: () => byId("lever-crown_cut")?.focus(),
  g: () => byId("lever-gasket")?.focus(),
};
const ARROWS = { ArrowUp: 1, ArrowDown: -1, ArrowRight: 1, ArrowLeft: -1 };

function step(event, lever) {
  event.preventDefault();
  nudge(lever, ARROWS[event.key] * (event.shiftKey ? 10 : 1));
}

/** The levers' own keys; true where one was meant. */
function onLever(target, event) {
  const handle = target.closest(".handle");
  const lever = target.dataset.leverInput;
  if (event.key === "Escape" && (handle || target.closest("#levers"))) {
    target.blur();
    return true;
  }
  if (handle && ARROWS[event.key]) step(event, handle.dataset.lever);
  else if (lever && (event.key === "ArrowUp" || event.key === "ArrowDown")) step(event, lever);
  else if (target.name === "wanted" && event.key === "Enter" && target.closest(".solve")) {
    event.preventDefault();
    send({ solving: "1" });
  } else return false;
  return true;
}

/** A figure chooses its hole; left and right arrow the hole before and after. */
function onHole(event) {
  const holes = [...document.querySelectorAll(".lever-head .hole")].map((hole) => hole.dataset.hole);
  let wanted = holes.includes(event.key) ? event.key : undefined;
  if (holes.length && (event.key === "ArrowLeft" || event.key === "ArrowRight")) {
    wanted = holes[holes.indexOf(byId("hole-on-screen").value) + ARROWS[event.key]];
  }
  if (!wanted) return;
  event.preventDefault();
  showHole(wanted);
}

const isTyping = (element) => element.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  const { target, key } = event;
  if (!(target instanceof Element) || isCommand(event) || onLever(target, event)) return;
  if (target.matches("[role=button]") && (key === "Enter" || key === " ")) {
    act(target, event);
    return;
  }
  if (isTyping(target) || isOpen()) return;
  const link = /^[a-z]$/.test(key) && document.querySelector(`[data-key="${key}"]`);
  if (!link && !LETTERS[key]) {
    onHole(event);
    return;
  }
  event.preventDefault();
  if (link) link.click();
  else LETTERS[key]();
});
