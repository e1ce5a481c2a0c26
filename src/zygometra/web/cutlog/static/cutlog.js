/* The log at the machine: zones are marked with a thumb, and a pass is kept on this device until the shop has it. */

import { byId, memory } from "../js/dom.js";

const form = byId("pass");
const RETRY = 3000;
const NEXT = { "": "touched", touched: "clean", clean: "" };
const MARK = { "": "", touched: "/", clean: "✓" };
const key = `pass:${form.dataset.build}:${form.dataset.face}`;
const slot = (zone) => form.elements[`zone.${zone.dataset.zone}`];

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

for (const zone of form.querySelectorAll("[data-zone]")) {
  show(zone, slot(zone).value);
  zone.addEventListener("click", () => press(zone));
  zone.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== " ") return;
    event.preventDefault();
    press(zone);
  });
}

/** What the server wrote, as elements of this page: its policy runs no script in them. */
const parsed = (html) => new DOMParser().parseFromString(html, "text/html").body.childNodes;
let timer;

function tell(words) {
  byId("waiting").textContent = words;
}

async function send(entry) {
  clearTimeout(timer);
  const body = new FormData();
  for (const [name, value] of Object.entries(entry)) body.append(name, value);
  body.set("csrf_token", form.elements.csrf_token.value);
  let answer;
  try {
    answer = await fetch(form.action, { method: "POST", body, headers: { "HX-Request": "true" } });
  } catch {
    tell("This pass is on this device, not with the shop yet: no network; it is sent by itself.");
    timer = setTimeout(() => send(entry), RETRY);
    return;
  }
  if (answer.headers.get("X-Kept") === entry.key) {
    memory.forget(key);
    window.location.assign(window.location.pathname);
  } else if (answer.headers.get("X-Refused") === entry.key) {
    memory.forget(key);
    tell("");
    byId("refused").replaceChildren(...parsed(await answer.text()));
  } else {
    tell("This pass is on this device: the shop does not answer as it should. It is sent again.");
    timer = setTimeout(() => send(entry), RETRY);
  }
}

form.addEventListener("submit", (event) => {
  event.preventDefault();
  const entry = { ...Object.fromEntries(new FormData(form)), at: new Date().toISOString() };
  delete entry.csrf_token;
  memory.set(key, JSON.stringify(entry));
  send(entry);
});

// A pass that was not acknowledged when the page went away is sent now; its key says that it is the same.
const held = memory.get(key);
if (held) {
  tell("A pass on this device was not acknowledged; it is sent again.");
  send(JSON.parse(held));
}
