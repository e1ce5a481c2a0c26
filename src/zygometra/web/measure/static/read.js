/* The reading page: one figure after another, by keyboard or thumb; what is taken lies in the queue of this device. */

import { byId, on } from "../js/dom.js";
import { newKey, parsed } from "../js/queue.js";

const form = byId("reading");

// -- places ---------------------------------------------------------------------

const places = () => form.dataset.places.split(",");
const named = (place) => {
  const name = form.dataset.names.split(",")[places().indexOf(place)];
  return place.startsWith("h") ? `Hole ${name}` : place.startsWith("b") ? `Bank ${name}` : "Whole engine";
};

function goTo(place) {
  form.elements.place.value = place;
  byId("where").textContent = named(place);
  for (const link of document.querySelectorAll(".strip [data-place]")) {
    if (link.dataset.place === place) link.setAttribute("aria-current", "true");
    else link.removeAttribute("aria-current");
  }
}

function step(by) {
  const round = form.dataset.round.split(",");
  const all = round.includes(form.elements.place.value) ? round : places();
  goTo(all[(all.indexOf(form.elements.place.value) + by + all.length) % all.length]);
}

function clear() {
  form.elements.value.value = "";
  if (form.elements.side) form.elements.side.value = "";
  form.elements.heard.value = "";
  form.elements.value.removeAttribute("aria-invalid");
  form.elements.value.focus();
}

// -- taking ---------------------------------------------------------------------

function check(event) {
  const { value, side } = form.elements;
  const goesOn = side && !side.value.trim() && document.activeElement === value;
  const missing = !value.value.trim() ? value : goesOn ? side : null;
  if (!missing) return;
  event.preventDefault();
  event.stopPropagation();
  missing.focus();
}

const placeOf = (entry) => entry.fields.find(([name]) => name === "place")?.[1];
const isHere = (entry) => entry.kind === "reading" && entry.action === new URL(form.action).pathname;

form.addEventListener("queue:taken", ({ detail: entry }) => {
  if (form.elements.place.value === placeOf(entry) && form.elements.then?.value !== "stay") step(1);
  clear();
});
form.addEventListener("queue:filled", ({ detail: entry }) => {
  goTo(placeOf(entry));
  form.elements.value.setAttribute("aria-invalid", "true");
  form.elements.value.select();
});

function counted(place) {
  const small = document.querySelector(`.strip [data-place="${CSS.escape(place)}"] small`);
  if (small) small.textContent = `${(parseInt(small.textContent, 10) || 0) + 1}`;
}

document.addEventListener("queue:kept", ({ detail: { entry, html } }) => {
  if (!isHere(entry)) return;
  byId("recent").replaceChildren(...parsed(html).body.childNodes);
  counted(placeOf(entry));
});

// -- a gauge that sends -------------------------------------------------------------

let source;

function listen() {
  const button = byId("listen");
  if (source) {
    source.close();
    source = undefined;
    button.textContent = button.dataset.idle;
    byId("heard").textContent = "";
    return;
  }
  button.dataset.idle ??= button.textContent;
  button.textContent = "Stop listening";
  open();
}

function open() {
  const address = new URL(form.dataset.listen, location.href);
  address.searchParams.set("place", form.elements.place.value);
  source = new EventSource(address);
  source.addEventListener("reading", (event) => {
    const heard = JSON.parse(event.data);
    byId("heard").textContent = `heard ${heard.says}`;
    const { value, side, heard: mark } = form.elements;
    if (!value.value) value.value = heard.value;
    else if (side && !side.value) side.value = heard.value;
    mark.value = "yes";
    value.focus();
  });
  source.addEventListener("error", () => {
    if (source?.readyState !== EventSource.CLOSED) return;
    byId("heard").textContent = "The gauge is busy with others; press again in a moment.";
    source = undefined;
    byId("listen").textContent = byId("listen").dataset.idle;
  });
}

// -- start ------------------------------------------------------------------------

form.addEventListener("submit", check);
// A zero that is set here has a name at once: what is read against it says so, with or without a network.
document.addEventListener("queue:taken", ({ detail: entry }) => {
  const given = (name) => entry.fields.find(([own]) => own === name)?.[1];
  if (entry.kind === "zero" && given("do") === "new" && form.elements.zero) form.elements.zero.value = given("new");
});
for (const name of document.querySelectorAll("form[data-queue=zero] [name=new]")) {
  const fresh = () => {
    name.value = newKey("z").slice(0, 8).replace("-", "");
  };
  name.form.addEventListener("queue:taken", () => setTimeout(fresh));
  fresh();
}
on("click", ".strip [data-place]", (link, event) => {
  event.preventDefault();
  goTo(link.dataset.place);
  clear();
  if (source) {
    source.close();
    open();
  }
});
document.addEventListener("keydown", (event) => {
  if (event.key === "PageDown") step(1);
  else if (event.key === "PageUp") step(-1);
  else return;
  event.preventDefault();
});
for (const choice of document.querySelectorAll("#setup select[name=figure], #setup select[name=way]")) {
  choice.addEventListener("change", () => choice.form.requestSubmit());
}
const button = byId("listen");
if (button) {
  button.hidden = false;
  button.addEventListener("click", listen);
}
window.addEventListener("pagehide", () => source?.close());
