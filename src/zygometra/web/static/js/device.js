/* Where the queue lies: entries in the database of this browser, one store for all pages and tabs. */

import { memory } from "./dom.js";

const JOURNAL = "journal:";
let database;
// Where the browser keeps nothing, this page still does.
const loose = [];

const asked = (request) =>
  new Promise((done, failed) => {
    request.onsuccess = () => done(request.result);
    request.onerror = () => failed(request.error);
  });

function opened() {
  database ??= new Promise((done) => {
    let request;
    try {
      request = indexedDB.open("queue", 1);
    } catch {
      done(undefined);
      return;
    }
    request.onupgradeneeded = () => {
      const store = request.result.createObjectStore("entries", { keyPath: "n", autoIncrement: true });
      store.createIndex("key", "key", { unique: true });
    };
    request.onsuccess = () => done(request.result);
    request.onerror = () => done(undefined);
  });
  return database;
}

/** Runs one transaction; resolves when it is on the disk. */
async function change(run) {
  const base = await opened();
  if (!base) return false;
  await new Promise((done, failed) => {
    const transaction = base.transaction("entries", "readwrite", { durability: "strict" });
    transaction.oncomplete = done;
    transaction.onabort = () => failed(transaction.error);
    run(transaction.objectStore("entries"));
  });
  return true;
}

function keepLoose(entry) {
  const at = loose.findIndex((one) => one.n === entry.n);
  if (at >= 0) loose[at] = entry;
  else loose.push({ ...entry, n: loose.length - 1e9 });
}

/** Keeps an entry, or what became of one: it is on this device when the promise is kept. */
export async function put(entry) {
  // Written at once, whatever happens to this page before the transaction ends; files lie in the transaction alone.
  const plain = entry.fields.every(([, value]) => typeof value === "string");
  if (plain) memory.set(JOURNAL + entry.key, JSON.stringify(entry));
  try {
    if (!(await change((store) => store.put(entry)))) keepLoose(entry);
  } catch (error) {
    if (error?.name !== "ConstraintError") throw error;
  }
  memory.forget(JOURNAL + entry.key);
}

export async function all() {
  const base = await opened();
  if (!base) return [...loose];
  return asked(base.transaction("entries").objectStore("entries").getAll());
}

export async function drop(n) {
  const at = loose.findIndex((one) => one.n === n);
  if (at >= 0) loose.splice(at, 1);
  await change((store) => store.delete(n));
}

/** Entries that a page wrote down and did not live to put away. */
export async function pickUp(me) {
  for (const key of memory.keys()) {
    if (key.startsWith(JOURNAL)) {
      const entry = JSON.parse(memory.get(key));
      const known = (await all()).some((one) => one.key === entry.key);
      if (known) memory.forget(key);
      else await put(entry);
    } else if (/^readings:\d+$/.test(key)) {
      // As the queue lay before it was one.
      const build = key.slice(9);
      for (const { key: own, ...fields } of JSON.parse(memory.get(key))) {
        const page = `/builds/${build}/measure/read`;
        const listed = Object.entries({ ...fields, key: own });
        const plain = { who: me, kind: "reading", chain: "", label: "", state: "waiting" };
        await put({ ...plain, key: own, action: page, page, fields: listed });
      }
      memory.forget(key);
    }
  }
}
