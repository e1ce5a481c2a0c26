/* Hears of newer states of the build on screen: by a stream while the page is looked at, or by asking. */

import { byId, on } from "./dom.js";

const ASKS_EVERY = 20_000;
const box = byId("newer");
let source;
let timer;

const ask = () => htmx.ajax("GET", box.dataset.ask, { target: "#newer", swap: "innerHTML" });

function stop() {
  source?.close();
  source = undefined;
  clearInterval(timer);
}

function listen() {
  stop();
  source = new EventSource(box.dataset.stream);
  source.addEventListener("newer", ask);
  source.addEventListener("error", () => {
    // Closed for good: every stream is taken. Else the browser opens another by itself.
    if (source?.readyState !== EventSource.CLOSED) return;
    stop();
    timer = setInterval(ask, ASKS_EVERY);
  });
}

// A browser has few connections to one host: only the page that is looked at holds one.
const follow = () => (document.hidden ? stop() : listen());

on("click", "[data-reload]", (_link, event) => {
  event.preventDefault();
  location.reload();
});
if (box) {
  document.addEventListener("visibilitychange", follow);
  window.addEventListener("pagehide", stop);
  follow();
}
