/* Nothing typed is lost: drafts of forms, and the last what-if that was not kept. */

import { build, byId, memory } from "./dom.js";

const UNKEPT = ["csrf_token", "version", "at", "back"];
const key = (form) => `draft:${form.dataset.draft}`;
const contentOf = (form) => Object.fromEntries([...new FormData(form)].filter(([name]) => !UNKEPT.includes(name)));

function fill(form, draft) {
  for (const [name, value] of Object.entries(draft)) {
    const slot = form.elements[name];
    if (slot && slot.type !== "checkbox" && slot.value !== undefined) slot.value = value;
  }
}

/** The line that says a draft is back, with a way to forget it. */
function noteOn(form) {
  const note = document.createElement("p");
  note.className = "flash";
  note.textContent = "What you typed here before is back. ";
  const forget = document.createElement("button");
  forget.type = "button";
  forget.className = "linklike";
  forget.textContent = "Forget it";
  forget.addEventListener("click", () => {
    memory.forget(key(form));
    form.reset();
    note.remove();
  });
  note.append(forget);
  return note;
}

/** Puts back what was typed into the forms below an element, and not sent. */
export function restoreDrafts(root) {
  for (const form of root.querySelectorAll("form[data-draft]")) {
    const kept = memory.get(key(form));
    if (!kept || form.querySelector(".fault, .is-danger")) continue;
    fill(form, JSON.parse(kept));
    form.prepend(noteOn(form));
  }
}

document.addEventListener("input", (event) => {
  const form = event.target.closest?.("form[data-draft]");
  if (form) memory.set(key(form), JSON.stringify(contentOf(form)));
});
document.addEventListener("submit", (event) => {
  // A form that htmx sends is forgotten only once the server has taken it.
  if (event.target.dataset.draft && !event.target.hasAttribute("hx-post")) memory.forget(key(event.target));
});
document.addEventListener("htmx:afterRequest", (event) => {
  const form = event.detail.elt;
  if (form.dataset?.draft && event.detail.xhr.status === 204) memory.forget(key(form));
});

// A what-if lives in the address; the browser remembers the last one that was not kept.
const whatIf = () => `what-if:${build().dataset.build}`;
const isPending = () => byId("drop");

function remember() {
  if (!byId("levers")) return;
  if (isPending()) memory.set(whatIf(), location.search);
  else memory.forget(whatIf());
}

function offerWhatIf() {
  const box = byId("restore");
  const left = box && memory.get(whatIf());
  if (!left || isPending()) {
    if (box) remember();
    return;
  }
  box.hidden = false;
  byId("restore-yes").href = location.pathname + left;
  byId("restore-no").addEventListener("click", () => {
    memory.forget(whatIf());
    box.hidden = true;
  });
}

document.addEventListener("htmx:afterSettle", (event) => {
  if (event.detail.target?.id !== "drawing" && event.target.id !== "drawing") return;
  remember();
  const box = byId("restore");
  if (box) box.hidden = true;
});
document.addEventListener("click", (event) => {
  if (event.target.id === "drop") memory.forget(whatIf());
});
document.addEventListener("submit", (event) => {
  if (event.target.id === "keep-form") memory.forget(whatIf());
});

// Whoever left the bench leaves nothing half typed to the next; what waits to be sent is kept under its own name.
if (document.querySelector("[data-left]")) {
  for (const name of memory.keys()) if (!name.startsWith("journal:")) memory.forget(name);
}
restoreDrafts(document);
offerWhatIf();
