/* The mix bench: chooses points, drags windows, sends the question. No figure of the trade is worked out here. */

import { byId, inDrawing, isCommand, on } from "../js/dom.js";

const ask = () => htmx.trigger(byId("question"), "asked");

function choose(key) {
  byId("ask-at").value = key;
  ask();
}

// Where the focus was is found again after the answer has come.
let again = null;

function selectorOf(element) {
  const { recipe, edge, pin } = element?.dataset ?? {};
  const role = element?.classList.contains("point") ? "point" : "recipe";
  if (recipe) return `.${role}[data-recipe="${CSS.escape(recipe)}"]`;
  if (edge) return `[data-edge="${edge}"]`;
  return pin ? "[data-pin]" : null;
}

document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target?.id === "mix-answer") again = selectorOf(document.activeElement);
});
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.detail.target?.id !== "mix-answer") return;
  if (again) document.querySelector(again)?.focus({ preventScroll: true });
  if (held) document.querySelector(`[data-edge="${held.edge}"]`)?.classList.add("held");
});

// -- points and recipes --------------------------------------------------------------
const MOST_PINS = 5;

function says(point) {
  const line = byId("map-says");
  if (line) line.textContent = point.getAttribute("aria-label");
}

function pin(key) {
  const pins = byId("ask-pins").value.split("|").filter(Boolean);
  const at = pins.indexOf(key);
  if (at < 0) pins.push(key);
  else pins.splice(at, 1);
  byId("ask-pins").value = pins.slice(-MOST_PINS).join("|");
  choose(key);
}

on("pointerover", ".point", says);
on("focusin", ".point", says);
on("click", "[data-recipe]", ({ dataset }) => choose(dataset.recipe));
on("click", "[data-pin]", ({ dataset }) => pin(dataset.pin));

function placeOf(point) {
  const { e, f } = point.transform.baseVal.consolidate().matrix;
  return { x: e, y: f };
}

const WAYS = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** The next point that way: nearest along the arrow, sideways counts double. */
function next(from, key) {
  const [x, y] = WAYS[key];
  const here = placeOf(from);
  let found = null;
  let least = Infinity;
  for (const point of document.querySelectorAll(".point")) {
    if (point === from) continue;
    const there = placeOf(point);
    const along = (there.x - here.x) * x + (there.y - here.y) * y;
    const aside = Math.abs((there.x - here.x) * y) + Math.abs((there.y - here.y) * x);
    if (along <= 0.4 || along + 2 * aside >= least) continue;
    least = along + 2 * aside;
    found = point;
  }
  return found;
}

// -- the edges of the windows --------------------------------------------------------
let held = null;

/** The slider speaks the reader's unit, as a bare number in the field does. */
function setEdge(name, value, decimals) {
  byId(`ask-${name.replace(".", "-")}`).value = value.toFixed(decimals);
  ask();
}

const along = (event) => {
  const point = inDrawing(held.matrix, event);
  return held.way === "horizontal" ? point.x : point.y;
};

document.addEventListener("pointerdown", (event) => {
  const edge = event.target.closest?.(".edge");
  if (!edge) return;
  event.preventDefault();
  edge.focus();
  held = {
    edge: edge.dataset.edge,
    way: edge.dataset.way,
    value: Number(edge.dataset.value),
    per: Number(edge.dataset.per),
    decimals: Number(edge.dataset.decimals),
    // The scale of the moment it was taken: the map may be drawn anew meanwhile.
    matrix: edge.ownerSVGElement.getScreenCTM().inverse(),
    last: "",
  };
  held.from = along(event);
  edge.classList.add("held");
});
document.addEventListener("pointermove", (event) => {
  if (!held) return;
  const value = held.value + (along(event) - held.from) * held.per;
  const text = value.toFixed(held.decimals);
  if (text === held.last) return;
  held.last = text;
  setEdge(held.edge, value, held.decimals);
});

const letGo = () => {
  held = null;
};
document.addEventListener("pointerup", letGo);
document.addEventListener("pointercancel", letGo);

function stepEdge({ dataset }, event) {
  const up = event.key === "ArrowUp" || event.key === "ArrowRight" ? 1 : -1;
  const step = 10 ** -dataset.decimals * (event.shiftKey ? 10 : 1);
  setEdge(dataset.edge, Number(dataset.value) + up * step, Number(dataset.decimals));
}

document.addEventListener("keydown", (event) => {
  const { target, key } = event;
  if (!(target instanceof Element) || isCommand(event)) return;
  const isArrow = key in WAYS;
  const edge = target.closest(".edge");
  const point = target.closest(".point");
  const recipe = target.closest("[data-recipe]");
  if (edge && isArrow) stepEdge(edge, event);
  else if (point && isArrow) next(point, key)?.focus();
  else if (recipe && (key === "Enter" || key === " ")) choose(recipe.dataset.recipe);
  else return;
  event.preventDefault();
});
