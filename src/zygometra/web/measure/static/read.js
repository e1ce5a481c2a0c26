/* The reading page: what is typed is kept on this device until the shop says that it has it, and sent once. */

import { byId, memory, on } from "../js/dom.js";

const form = byId("reading");
const RETRY = 3000;
const key = (what) => `${what}:${form.dataset.build}`;
const load = (what) => JSON.parse(memory.get(key(what)) || "[]");
// Where the browser remembers nothing, this page still does.
const held = { readings: load("readings"), refused: load("refused") };
const store = (what, list) => {
  held[what] = list;
  if (list.length) memory.set(key(what), JSON.stringify(list));
  else memory.forget(key(what));
};
let sending = false;
let timer;

function newKey(prefix) {
  const bytes = crypto.getRandomValues(new Uint8Array(9));
  return `${prefix}-${[...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("")}`;
}

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

function take(event) {
  event.preventDefault();
  const { value, side } = form.elements;
  if (!value.value.trim()) {
    value.focus();
    return;
  }
  if (side && !side.value.trim() && document.activeElement === value) {
    side.focus();
    return;
  }
  const fields = Object.fromEntries(new FormData(form));
  delete fields.csrf_token;
  const entry = { ...fields, key: newKey("r"), at: new Date().toISOString() };
  store("readings", [...held.readings, entry]);
  byId("refused").replaceChildren();
  if (fields.then !== "stay") step(1);
  clear();
  tell();
  flush();
}

function tell(trouble = "") {
  const waiting = held.readings.length;
  byId("waiting").textContent = waiting
    ? `${waiting} reading${waiting > 1 ? "s" : ""} on this device, not with the shop yet. ${trouble}`.trim()
    : "";
}

async function send(entry) {
  const body = new FormData();
  for (const [name, value] of Object.entries(entry)) body.append(name, value);
  body.append("csrf_token", form.elements.csrf_token.value);
  const answer = await fetch(form.action, { method: "POST", body, headers: { "HX-Request": "true" } });
  if (answer.headers.get("X-Kept") === entry.key) return { kept: await answer.text() };
  const refused = answer.headers.get("X-Refused") === entry.key;
  if (refused && answer.status !== 409) return { refused: await answer.text() };
  if (answer.status === 409) return { later: "The build is closed for now." };
  if ([400, 401].includes(answer.status)) return { later: "Load this page again: nobody is signed in here." };
  return { later: "The shop does not answer as it should." };
}

/** What the server wrote, as elements of this page: its policy runs no script in them. */
const parsed = (html) => new DOMParser().parseFromString(html, "text/html").body.childNodes;

function counted(place) {
  const small = document.querySelector(`.strip [data-place="${CSS.escape(place)}"] small`);
  if (small) small.textContent = `${(parseInt(small.textContent, 10) || 0) + 1}`;
}

async function flush() {
  if (sending) return;
  sending = true;
  clearTimeout(timer);
  let trouble = "";
  while (held.readings.length) {
    const entry = held.readings[0];
    let outcome;
    try {
      outcome = await send(entry);
    } catch {
      outcome = { later: "No network; it is sent by itself." };
    }
    if (outcome.later) {
      trouble = outcome.later;
      break;
    }
    store("readings", held.readings.filter((one) => one.key !== entry.key));
    if (outcome.kept !== undefined) {
      byId("recent").replaceChildren(...parsed(outcome.kept));
      counted(entry.place);
    } else refuse(entry, outcome.refused);
  }
  sending = false;
  tell(trouble);
  if (held.readings.length) timer = setTimeout(flush, RETRY);
}

// -- what was refused -------------------------------------------------------------

function refuse(entry, html) {
  const words = document.createElement("div");
  words.append(...parsed(html));
  const says = words.querySelector(".fault")?.textContent ?? "It was not taken.";
  const insist = Boolean(words.querySelector("[data-insist]"));
  store("refused", [...held.refused, { ...entry, says, insist }]);
  list();
  // The figure comes back to be put right, unless another is being typed.
  if (!form.elements.value.value) correct(entry.key);
}

function correct(wanted) {
  const entry = held.refused.find((one) => one.key === wanted);
  if (!entry) return;
  goTo(entry.place);
  form.elements.value.value = entry.value;
  if (form.elements.side) form.elements.side.value = entry.side ?? "";
  form.elements.heard.value = entry.heard ?? "";
  form.elements.value.setAttribute("aria-invalid", "true");
  form.elements.value.select();
  const box = byId("refused");
  box.replaceChildren(line(entry));
  drop(wanted);
}

function line(entry) {
  const box = document.createElement("div");
  const says = document.createElement("p");
  says.className = "fault";
  says.setAttribute("role", "alert");
  says.textContent = entry.says;
  box.append(says);
  if (entry.insist) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "button";
    button.textContent = "It is right: keep it";
    button.addEventListener("click", () => insist(entry));
    box.append(button);
  }
  return box;
}

function insist(entry) {
  const { says: _says, insist: _insist, ...fields } = entry;
  drop(entry.key);
  byId("refused").replaceChildren();
  store("readings", [...held.readings, { ...fields, sure: "1" }]);
  if (form.elements.place.value === entry.place && fields.then !== "stay") step(1);
  clear();
  flush();
}

function drop(wanted) {
  store("refused", held.refused.filter((one) => one.key !== wanted));
  list();
}

function list() {
  const items = held.refused.map((entry) => {
    const item = document.createElement("li");
    const words = document.createElement("span");
    const typed = [entry.value, entry.side].filter(Boolean).join(" / ");
    words.textContent = `${named(entry.place)}, ${typed}: ${entry.says} `;
    item.append(words);
    for (const [label, run] of [
      ["Put it right", () => correct(entry.key)],
      ["Drop it", () => drop(entry.key)],
    ]) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "button is-small";
      button.textContent = label;
      button.addEventListener("click", run);
      item.append(button);
    }
    return item;
  });
  byId("to-correct").replaceChildren(...items);
}

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

form.addEventListener("submit", take);
for (const own of document.querySelectorAll("form [name=key]")) {
  own.form.addEventListener("submit", () => {
    if (!own.value) own.value = newKey("k");
  });
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
window.addEventListener("online", flush);
for (const choice of document.querySelectorAll("#setup select[name=figure], #setup select[name=way]")) {
  choice.addEventListener("change", () => choice.form.requestSubmit());
}
const button = byId("listen");
if (button) {
  button.hidden = false;
  button.addEventListener("click", listen);
}
window.addEventListener("pagehide", () => source?.close());
list();
tell();
flush();
