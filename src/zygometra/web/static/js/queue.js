/* What is typed at the machine stays on this device until the shop has it: one queue for all pages and tabs. */

// An entry has a key, and says who typed it; entries go out in their order, under that name alone, and are taken
// once. What the shop refuses stays, with its sentence, until it is put right, insisted on, or dropped.

import { all, drop, pickUp, put } from "./device.js";
import { byId, memory } from "./dom.js";

const RETRY = 3000;
const GIVE_UP = 30_000;
const WORDS = {
  reading: ["reading", "readings"],
  pass: ["pass", "passes"],
  piece: ["cut", "cuts"],
  zero: ["zero", "zeros"],
  step: ["step", "steps"],
  photo: ["photograph", "photographs"],
  found: ["found thing", "found things"],
  "set-up": ["set-up", "set-ups"],
};
const me = document.body.dataset.person;
const others = "BroadcastChannel" in window ? new BroadcastChannel("queue") : undefined;

export function newKey(prefix) {
  const bytes = crypto.getRandomValues(new Uint8Array(9));
  return `${prefix}-${[...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("")}`;
}

// -- what comes in ----------------------------------------------------------------

const field = (entry, name) => entry.fields.find(([own]) => own === name)?.[1] ?? "";

/** Takes what stands in a form: it is on this device when the promise is kept. */
export async function add(form, submitter) {
  const data = new FormData(form, submitter);
  data.delete("csrf_token");
  const kind = form.dataset.queue;
  if (!data.get("key")) data.set("key", newKey(kind[0]));
  data.set("at", new Date().toISOString());
  const entry = {
    key: data.get("key"),
    who: me,
    kind,
    chain: form.dataset.chain ?? "",
    label: form.dataset.label ?? "",
    action: new URL(form.action).pathname,
    page: location.pathname + location.search,
    fields: [...data],
    state: "waiting",
  };
  // What was put right takes the place of what was refused.
  if (form.dataset.correcting) entry.n = Number(form.dataset.correcting);
  delete form.dataset.correcting;
  byId("refused")?.replaceChildren();
  form.reset();
  if (form.elements.key) form.elements.key.value = newKey(kind[0]);
  form.dispatchEvent(new CustomEvent("queue:taken", { bubbles: true, detail: entry }));
  await put(entry);
  changed();
  flush();
}

document.addEventListener("submit", (event) => {
  if (!event.target.matches("form[data-queue]")) return;
  event.preventDefault();
  add(event.target, event.submitter);
});

// -- what goes out ----------------------------------------------------------------

const token = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

async function send(entry) {
  const body = new FormData();
  for (const [name, value] of entry.fields) body.append(name, value);
  let answer;
  try {
    answer = await fetch(entry.action, {
      method: "POST",
      body,
      signal: AbortSignal.timeout(GIVE_UP),
      headers: {
        "HX-Request": "true",
        "X-CSRFToken": token(),
        "X-Queue": entry.key,
        "X-Typed-By": encodeURIComponent(entry.who),
      },
    });
    if (answer.headers.get("X-Kept") === entry.key) {
      return { kept: await answer.text(), next: answer.headers.get("X-Next") };
    }
    if (answer.headers.get("X-Refused") === entry.key) return { refused: await answer.text() };
  } catch {
    return { later: "No network; it is sent by itself." };
  }
  if ([400, 401].includes(answer.status)) return { later: "Load this page again: nobody is signed in here." };
  return { later: "The shop does not answer as it should. It is sent again." };
}

let timer;
let asking = false;

/** Sends what waits; one page at a time does, and asks again while something is left. */
export async function flush() {
  clearTimeout(timer);
  if (asking || !me) return;
  asking = true;
  try {
    if (navigator.locks) await navigator.locks.request("queue", sendAll);
    else await sendAll();
  } finally {
    asking = false;
  }
}

const mine = (entries) => entries.filter((one) => one.who === me);

/** The first that may go: what follows a refused one in its chain waits for it. */
function following(entries) {
  const held = new Set();
  for (const one of mine(entries)) {
    if (one.state === "refused") held.add(one.chain || one.key);
    else if (!held.has(one.chain || one.key)) return one;
  }
  return undefined;
}

async function sendAll() {
  let trouble = "";
  let kept;
  for (let next; (next = following(await all())); ) {
    const outcome = await send(next);
    if (outcome.later) {
      trouble = outcome.later;
      break;
    }
    if (outcome.kept !== undefined) {
      await drop(next.n);
      kept = { entry: next, html: outcome.kept, next: outcome.next };
      document.dispatchEvent(new CustomEvent("queue:kept", { detail: kept }));
      // Another tab may be the one that it was typed on.
      others?.postMessage({ kept });
    } else await refuse(next, outcome.refused);
    changed();
  }
  await show(trouble);
  const left = following(await all());
  if (left) timer = setTimeout(flush, RETRY);
  else if (kept) turn(kept);
}

/** Shows the page as it stands once all is with the shop, unless something is being typed on it. */
function turn({ entry, next }) {
  const here = entry.page.split("?")[0] === location.pathname;
  // The reading page goes on by itself.
  if (!here || byId("reading")?.contains(formOf(entry))) return;
  const busy = [...document.querySelectorAll("form[data-queue]")].some(
    (form) => form.dataset.correcting || !isEmpty(form),
  );
  if (!busy) location.assign(next || location.href);
}

// -- what was refused ---------------------------------------------------------------

/** What the server wrote, as elements of this page: its policy runs no script in them. */
export const parsed = (html) => new DOMParser().parseFromString(html, "text/html");

async function refuse(entry, html) {
  const words = parsed(html);
  const says = words.querySelector(".fault, [role=alert], .help.is-danger")?.textContent.trim() || "It was not taken.";
  const insist = Boolean(words.querySelector("[data-insist]"));
  const refused = { ...entry, state: "refused", says: says.replace(/\s+/g, " "), insist };
  await put(refused);
  document.dispatchEvent(new CustomEvent("queue:refused", { detail: refused }));
  const form = formOf(refused);
  if (form && !form.dataset.correcting && isEmpty(form)) correct(refused);
}

const formOf = (entry) =>
  [...document.querySelectorAll("form[data-queue]")].find(
    (form) => form.dataset.queue === entry.kind && new URL(form.action).pathname === entry.action,
  );
const TYPED = "input:not([type=hidden], [type=checkbox], [type=file])";
const typed = (form) => [...form.elements].filter((slot) => slot.matches(TYPED));
const isEmpty = (form) => typed(form).every((slot) => !slot.value || slot.value === slot.defaultValue);

/** Puts what was refused back into its form; it stays on the device until it is sent again. */
export function correct(entry) {
  const form = formOf(entry);
  if (!form) {
    memory.set("correcting", String(entry.n));
    location.assign(entry.page);
    return;
  }
  for (const [name, value] of entry.fields) {
    const slot = form.elements[name];
    if (!slot || typeof value !== "string" || ["key", "sure"].includes(name)) continue;
    if (slot.type === "checkbox") slot.checked = slot.value === value;
    else slot.value = value;
  }
  form.dataset.correcting = entry.n;
  byId("refused")?.replaceChildren(...line(entry, false));
  form.dispatchEvent(new CustomEvent("queue:filled", { bubbles: true, detail: entry }));
  show();
}

const again = (entry, more = []) =>
  put({
    ...entry,
    state: "waiting",
    fields: [...entry.fields.filter(([name]) => name !== "sure"), ...more],
  }).then(() => {
    const form = formOf(entry);
    if (form?.dataset.correcting === String(entry.n)) {
      delete form.dataset.correcting;
      form.dispatchEvent(new CustomEvent("queue:taken", { bubbles: true, detail: entry }));
      byId("refused")?.replaceChildren();
    }
    changed();
    flush();
  });

function button(label, run) {
  const made = document.createElement("button");
  made.type = "button";
  made.className = "button is-small";
  made.textContent = label;
  made.addEventListener("click", run);
  return made;
}

/** A refused entry in words, with what can be done about it. */
function line(entry, listed) {
  const says = document.createElement(listed ? "span" : "p");
  const figures = ["depth", "value", "side"].map((name) => field(entry, name)).filter(Boolean);
  const what = entry.label || figures.join(" / ");
  const named = [WORDS[entry.kind]?.[0] ?? "entry", what].filter(Boolean).join(" ");
  says.textContent = listed ? `${named}: ${entry.says} ` : entry.says;
  if (!listed) {
    says.className = "fault";
    says.setAttribute("role", "alert");
  }
  const out = [says];
  if (entry.insist) out.push(button("It is right: keep it", () => again(entry, [["sure", "yes"]])));
  if (!listed) return out;
  out.push(button("Send it again", () => again(entry)));
  if (entry.fields.every(([, value]) => typeof value === "string")) {
    out.push(button("Put it right", () => correct(entry)));
  }
  out.push(
    button("Drop it", async () => {
      await drop(entry.n);
      changed();
      flush();
    }),
  );
  return out;
}

// -- what is said of it ---------------------------------------------------------------

function counted(entries) {
  const kinds = new Set(entries.map((one) => one.kind));
  const words = kinds.size === 1 ? WORDS[entries[0].kind] : undefined;
  const [single, several] = words ?? ["entry", "entries"];
  return `${entries.length} ${entries.length === 1 ? single : several}`;
}

let lastTrouble = "";

async function show(trouble = lastTrouble) {
  lastTrouble = trouble;
  const entries = await all();
  const waiting = mine(entries).filter((one) => one.state === "waiting");
  const box = byId("queue");
  const at = byId("waiting") ?? byId("queue-waiting");
  const held = waiting.length && !following(entries) ? "They wait for what is to be put right before them." : "";
  at.textContent = waiting.length
    ? `${counted(waiting)} on this device, not with the shop yet. ${trouble || held}`.trim()
    : "";
  const strangers = [...new Set(entries.filter((one) => one.who !== me).map((one) => one.who))];
  byId("queue-others").textContent = strangers
    .map((name) => {
      const theirs = entries.filter((one) => one.who === name);
      return `${counted(theirs)} of ${name} on this device: sent when ${name} is at it again.`;
    })
    .join(" ");
  const forms = [...document.querySelectorAll("form[data-correcting]")];
  const correcting = new Set(forms.map((form) => form.dataset.correcting));
  const items = mine(entries)
    .filter((one) => one.state === "refused" && !correcting.has(String(one.n)))
    .map((entry) => {
      const item = document.createElement("li");
      item.append(...line(entry, true));
      return item;
    });
  (byId("to-correct") ?? byId("queue-refused")).replaceChildren(...items);
  box.hidden = !box.textContent.trim();
}

function changed() {
  show();
  others?.postMessage("changed");
}

// -- start ----------------------------------------------------------------------------

others?.addEventListener("message", async ({ data }) => {
  show();
  if (!data.kept) return;
  document.dispatchEvent(new CustomEvent("queue:kept", { detail: data.kept }));
  if (!following(await all())) turn(data.kept);
});
window.addEventListener("online", flush);
pickUp(me)
  .then(() => show(""))
  .then(async () => {
    const wanted = memory.get("correcting");
    memory.forget("correcting");
    const entry = wanted && (await all()).find((one) => String(one.n) === wanted);
    if (entry && formOf(entry)) correct(entry);
  })
  .then(flush);
