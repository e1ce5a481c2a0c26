/* Moves handles, opens dialogs, sends requests. No figure is worked out here: the server does that. */
(() => {
  "use strict";
  const $ = (id) => document.getElementById(id);
  const bench = () => document.querySelector(".bench");
  const dialog = () => $("dialog");

  // -- the levers' form ----------------------------------------------------------
  const send = (changes) => {
    const form = $("levers");
    for (const [id, value] of Object.entries(changes)) $(id).value = value;
    htmx.trigger(form, "moved");
  };
  const showHole = (number) => {
    if ($("levers")) send({ "hole-on-screen": number, nudge: "hole:" });
    else if (bench()) location.href = `${bench().dataset.stack}?hole=${number}`;
  };
  const solve = (lever, result, wanted) => {
    const form = $("levers");
    form.elements.lever.value = lever;
    form.elements.result.value = result;
    form.elements.wanted.value = wanted;
    send({ solving: "1" });
  };
  const nudge = (lever, steps) => send({ nudge: `${lever}:${steps > 0 ? "+" : ""}${steps}` });

  // Bank and gasket change more than the figure in hand: have the fields written anew.
  document.addEventListener("change", (event) => {
    if (event.target.id === "scope") $("nudge").value = "scope:";
    if (event.target.id === "lever-gasket") $("refresh").value = "1";
  }, true);
  // The figures of the inverse question are not levers; they wait for their button.
  for (const kind of ["input", "change"]) document.addEventListener(kind, (event) => {
    if (event.target.closest?.(".solve")) event.stopPropagation();
  }, true);

  // What is typed while an answer is on its way is put back after the fields were written anew.
  const sinceAsked = new Map();
  document.addEventListener("input", (event) => {
    if (event.target.closest?.("#levers") && event.target.id) sinceAsked.set(event.target.id, event.target.value);
  });
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (event.detail.elt.id === "levers") sinceAsked.clear();
  });
  document.addEventListener("htmx:oobAfterSwap", (event) => {
    if (event.detail.target.id !== "levers" || !sinceAsked.size) return;
    for (const [id, value] of sinceAsked) if ($(id)) $(id).value = value;
    htmx.trigger($("levers"), "moved");
  });

  // -- dragging a handle -----------------------------------------------------------
  let held = null;
  const toDrawing = (svg, event) => {
    const point = new DOMPoint(event.clientX, event.clientY);
    return point.matrixTransform(svg.getScreenCTM().inverse()).y;
  };
  document.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest?.(".handle");
    if (!handle) return;
    event.preventDefault();
    handle.focus();
    held = { lever: handle.dataset.lever, mm: +handle.dataset.mm, now: +handle.dataset.now, from: toDrawing(handle.ownerSVGElement, event), last: "" };
    handle.classList.add("held");
  });
  document.addEventListener("pointermove", (event) => {
    const svg = held && document.querySelector("#drawing svg");
    if (!svg) return;
    const to = held.now + (toDrawing(svg, event) - held.from) * held.mm;
    const text = `${held.lever}:=${Math.max(to, 0).toFixed(3)}`;
    if (text !== held.last) { held.last = text; send({ nudge: text }); }
  });
  const letGo = () => { held = null; };
  document.addEventListener("pointerup", letGo);
  document.addEventListener("pointercancel", letGo);

  // -- dialogs ---------------------------------------------------------------------
  const open = (address) => {
    htmx.ajax("GET", address, { target: "#dialog", swap: "innerHTML" }).then(() => {
      if (!dialog().firstElementChild) return;
      if (!dialog().open) dialog().showModal();
      dialog().querySelector("#chosen-step")?.scrollIntoView({ block: "center" });
      restoreDrafts(dialog());
      (dialog().querySelector("[autofocus]") || dialog().querySelector("[data-close]"))?.focus();
    });
  };
  const workingAddress = (result, hole) => {
    const query = new URLSearchParams({ result, hole: hole || $("hole-on-screen")?.value || "" });
    const plan = $("levers")?.elements.plan.value;
    if (plan) query.set("plan", plan);
    return `${bench().dataset.workingPage}?${query}`;
  };
  const activate = (target) => {
    const figure = target.closest("[data-figure]");
    if (figure) return open(`${bench().dataset.figureForm}?at=${encodeURIComponent(figure.dataset.figure)}&back=${encodeURIComponent(location.pathname + location.search)}`), true;
    const result = target.closest("[data-working]");
    if (result) return open(workingAddress(result.dataset.working, result.dataset.of)), true;
    const hole = target.closest("[data-hole]");
    if (hole) return showHole(hole.dataset.hole), true;
    const aim = target.closest("[data-solve]");
    if (aim) return solve(aim.dataset.solve, aim.dataset.result, aim.dataset.wanted), true;
    if (target.closest("[data-close]")) return dialog().close(), true;
    if (target.closest("[data-print]")) return window.print(), true;
    return false;
  };
  for (const button of document.querySelectorAll("[data-print]")) button.hidden = false;
  document.addEventListener("click", (event) => {
    if (!(event.target instanceof Element)) return;
    if (event.target.id === "solve") { send({ solving: "1" }); return; }
    if (event.target === dialog()) { dialog().close(); return; }
    if (activate(event.target)) event.preventDefault();
  });

  // -- keys ------------------------------------------------------------------------
  const typing = (element) => element.closest("input, textarea, select, [contenteditable]");
  const arrows = { ArrowUp: 1, ArrowDown: -1, ArrowRight: 1, ArrowLeft: -1 };
  const step = (event, lever, up) => {
    event.preventDefault();
    nudge(lever, arrows[event.key] * up * (event.shiftKey ? 10 : 1));
  };
  const letters = {
    "?": () => { location.href = document.body.dataset.keys; },
    f: () => { location.href = document.body.dataset.floor; },
    n: () => { location.href = document.body.dataset.new; },
    m: () => { location.href = document.body.dataset.mix; },
    s: () => { if (bench()) location.href = bench().dataset.stack; },
    p: () => { if (bench()) location.href = bench().dataset.sheet; },
    w: () => { if (bench()) open(workingAddress("compression_ratio")); },
    k: () => $("keep-button")?.click(),
    u: () => $("undo")?.click(),
    r: () => $("redo")?.click(),
    d: () => $("lever-deck_cut")?.focus(),
    h: () => $("lever-head_cut")?.focus(),
    c: () => $("lever-crown_cut")?.focus(),
    g: () => $("lever-gasket")?.focus(),
  };
  document.addEventListener("keydown", (event) => {
    const target = event.target;
    if (!(target instanceof Element) || event.ctrlKey || event.metaKey || event.altKey) return;
    const handle = target.closest(".handle");
    if (handle && arrows[event.key]) return step(event, handle.dataset.lever, 1);
    const lever = target.dataset?.leverInput;
    if (lever && (event.key === "ArrowUp" || event.key === "ArrowDown")) return step(event, lever, 1);
    if (target.name === "wanted" && event.key === "Enter") { event.preventDefault(); send({ solving: "1" }); return; }
    if (target.matches("[role=button]") && (event.key === "Enter" || event.key === " ")) {
      if (activate(target)) event.preventDefault();
      return;
    }
    if (typing(target) || dialog().open) return;
    if (letters[event.key]) { event.preventDefault(); letters[event.key](); return; }
    const holes = [...document.querySelectorAll(".lever-head .hole")].map((b) => b.dataset.hole);
    if (holes.includes(event.key)) showHole(event.key);
    else if (holes.length && (event.key === "ArrowLeft" || event.key === "ArrowRight")) {
      const at = holes.indexOf($("hole-on-screen").value) + arrows[event.key];
      if (holes[at]) { event.preventDefault(); showHole(holes[at]); }
    }
  });

  // -- nothing typed is lost ---------------------------------------------------------
  const store = {
    get: (key) => { try { return localStorage.getItem(key); } catch { return null; } },
    set: (key, value) => { try { value === null ? localStorage.removeItem(key) : localStorage.setItem(key, value); } catch { /* private mode: drafts are lost */ } },
  };
  const unkept = ["csrf_token", "version", "at", "back"];
  const draftOf = (form) => Object.fromEntries([...new FormData(form)].filter(([key]) => !unkept.includes(key)));
  const restoreDrafts = (root) => {
    for (const form of root.querySelectorAll("form[data-draft]")) {
      const key = `draft:${form.dataset.draft}`;
      const kept = store.get(key);
      if (!kept || form.querySelector(".fault, .is-danger")) continue;
      const draft = JSON.parse(kept);
      for (const [name, value] of Object.entries(draft)) {
        const slot = form.elements[name];
        if (slot && slot.type !== "checkbox" && slot.value !== undefined) slot.value = value;
      }
      const note = document.createElement("p");
      note.className = "flash";
      note.textContent = "What you typed here before is back. ";
      const forget = document.createElement("button");
      forget.type = "button"; forget.className = "linklike"; forget.textContent = "Forget it";
      forget.addEventListener("click", () => { store.set(key, null); form.reset(); note.remove(); });
      note.append(forget);
      form.prepend(note);
    }
  };
  document.addEventListener("input", (event) => {
    const form = event.target.closest?.("form[data-draft]");
    if (form) store.set(`draft:${form.dataset.draft}`, JSON.stringify(draftOf(form)));
  });
  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (!form.dataset.draft) return;
    // Forgotten only once the server has taken it: a page that comes back with faults holds it anyway.
    if (!form.hasAttribute("hx-post")) store.set(`draft:${form.dataset.draft}`, null);
  });
  document.addEventListener("htmx:afterRequest", (event) => {
    const form = event.detail.elt;
    if (form.dataset?.draft && event.detail.xhr.status === 204) store.set(`draft:${form.dataset.draft}`, null);
  });

  // A what-if lives in the address; the browser remembers the last one that was not kept.
  const whatIf = () => bench() && `what-if:${bench().dataset.build}`;
  const remember = () => {
    if (!$("levers")) return;
    if ($("keep-button")) store.set(whatIf(), location.search);
    else store.set(whatIf(), null);
  };
  const offerWhatIf = () => {
    const box = $("restore");
    if (!box) return;
    const left = store.get(whatIf());
    if (!$("keep-button") && left) {
      box.hidden = false;
      $("restore-yes").href = location.pathname + left;
      $("restore-no").addEventListener("click", () => { store.set(whatIf(), null); box.hidden = true; });
    } else remember();
  };
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.target?.id === "drawing" || event.target.id === "drawing") { remember(); const box = $("restore"); if (box) box.hidden = true; }
    if (held) document.querySelector(`#handle-${held.lever}`)?.classList.add("held");
  });
  document.addEventListener("click", (event) => { if (event.target.id === "drop") store.set(whatIf(), null); });
  document.addEventListener("submit", (event) => { if (event.target.id === "keep-form") store.set(whatIf(), null); });

  document.addEventListener("htmx:sendError", () => {
    $("notice").innerHTML = '<p class="flash bad"><b>The program does not answer.</b> What is on screen is not lost; it will go on when the program is back.</p>';
  });
  document.addEventListener("htmx:afterOnLoad", () => { if ($("notice").textContent.includes("does not answer")) $("notice").replaceChildren(); });

  // -- a file dropped on the floor ----------------------------------------------------
  document.addEventListener("dragover", (event) => {
    if (!$("drop-zone")) return;
    event.preventDefault();
    $("drop-zone").classList.add("over");
  });
  document.addEventListener("dragleave", () => $("drop-zone")?.classList.remove("over"));
  document.addEventListener("drop", (event) => {
    const zone = $("drop-zone");
    if (!zone || !event.dataTransfer.files.length) return;
    event.preventDefault();
    $("file").files = event.dataTransfer.files;
    zone.requestSubmit();
  });

  const begin = () => { restoreDrafts(document); offerWhatIf(); };
  document.readyState === "loading" ? document.addEventListener("DOMContentLoaded", begin) : begin();
})();
