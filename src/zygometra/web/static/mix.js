/* The mix bench: chooses points, drags windows, sends the question. No figure of the trade is worked out here. */
(() => {
  "use strict";
  const $ = (id) => document.getElementById(id);
  const question = () => $("question");
  if (!question()) return;
  const ask = () => htmx.trigger(question(), "asked");
  const choose = (key) => { $("ask-at").value = key; ask(); };

  // Where the focus was is found again after the answer has come.
  let again = null;
  const mark = () => {
    const on = document.activeElement;
    again = on?.dataset?.recipe ? `.${on.classList.contains("point") ? "point" : "recipe"}[data-recipe="${CSS.escape(on.dataset.recipe)}"]`
      : on?.dataset?.edge ? `[data-edge="${on.dataset.edge}"]` : on?.dataset?.pin ? "[data-pin]" : null;
  };
  document.addEventListener("htmx:beforeSwap", (event) => { if (event.detail.target?.id === "mix-answer") mark(); });
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.target?.id !== "mix-answer") return;
    if (again) document.querySelector(again)?.focus({ preventScroll: true });
    if (held) document.querySelector(`[data-edge="${held.edge}"]`)?.classList.add("held");
  });

  // -- points and recipes ----------------------------------------------------------
  const says = (element) => { const place = $("map-says"); if (place) place.textContent = element.getAttribute("aria-label"); };
  document.addEventListener("pointerover", (event) => { const point = event.target.closest?.(".point"); if (point) says(point); });
  document.addEventListener("focusin", (event) => { if (event.target.classList?.contains("point")) says(event.target); });
  document.addEventListener("click", (event) => {
    const target = event.target;
    if (!(target instanceof Element)) return;
    const recipe = target.closest("[data-recipe]");
    if (recipe) return choose(recipe.dataset.recipe);
    const pin = target.closest("[data-pin]");
    if (pin) {
      const pins = $("ask-pins").value.split("|").filter(Boolean);
      const at = pins.indexOf(pin.dataset.pin);
      at < 0 ? pins.push(pin.dataset.pin) : pins.splice(at, 1);
      $("ask-pins").value = pins.slice(-5).join("|");
      $("ask-at").value = pin.dataset.pin;
      ask();
    }
  });
  const place = (point) => { const m = point.transform.baseVal.consolidate().matrix; return { x: m.e, y: m.f }; };
  // The next point that way: nearest along the arrow, sideways counts double.
  const next = (from, key) => {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[key];
    const here = place(from);
    let found = null, least = Infinity;
    for (const point of document.querySelectorAll(".point")) {
      if (point === from) continue;
      const there = place(point), dx = there.x - here.x, dy = there.y - here.y;
      const along = dx * way[0] + dy * way[1], aside = Math.abs(dx * way[1]) + Math.abs(dy * way[0]);
      if (along > 0.4 && along + 2 * aside < least) { least = along + 2 * aside; found = point; }
    }
    return found;
  };

  // -- the edges of the windows ------------------------------------------------------
  // The slider speaks the reader's unit, as a bare number in the field does.
  const setEdge = (name, value, decimals) => {
    $(`ask-${name.replace(".", "-")}`).value = value.toFixed(decimals);
    ask();
  };
  let held = null;
  const toDrawing = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  document.addEventListener("pointerdown", (event) => {
    const edge = event.target.closest?.(".edge");
    if (!edge) return;
    event.preventDefault();
    edge.focus();
    const from = toDrawing(edge.ownerSVGElement, event);
    held = { edge: edge.dataset.edge, way: edge.dataset.way, value: +edge.dataset.value, per: +edge.dataset.per, decimals: +edge.dataset.decimals,
             from: edge.dataset.way === "horizontal" ? from.x : from.y, matrix: edge.ownerSVGElement.getScreenCTM().inverse(), last: "" };
    edge.classList.add("held");
  });
  document.addEventListener("pointermove", (event) => {
    if (!held) return;
    // The scale of the moment it was taken: the map may be drawn anew meanwhile.
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(held.matrix);
    const value = held.value + ((held.way === "horizontal" ? at.x : at.y) - held.from) * held.per;
    const text = value.toFixed(held.decimals);
    if (text !== held.last) { held.last = text; setEdge(held.edge, value, held.decimals); }
  });
  const letGo = () => { held = null; };
  document.addEventListener("pointerup", letGo);
  document.addEventListener("pointercancel", letGo);

  document.addEventListener("keydown", (event) => {
    const target = event.target;
    if (!(target instanceof Element) || event.ctrlKey || event.metaKey || event.altKey) return;
    const edge = target.closest(".edge");
    if (edge && event.key.startsWith("Arrow")) {
      event.preventDefault();
      const up = event.key === "ArrowUp" || event.key === "ArrowRight" ? 1 : -1;
      const step = 10 ** -edge.dataset.decimals * (event.shiftKey ? 10 : 1);
      setEdge(edge.dataset.edge, +edge.dataset.value + up * step, +edge.dataset.decimals);
      return;
    }
    const point = target.closest(".point");
    if (point && event.key.startsWith("Arrow")) { event.preventDefault(); next(point, event.key)?.focus(); return; }
    const recipe = target.closest("[data-recipe]");
    if (recipe && (event.key === "Enter" || event.key === " ")) { event.preventDefault(); choose(recipe.dataset.recipe); }
  });

})();
