/* A build file dropped on the shop floor is opened. */

import { byId } from "./dom.js";

const zone = () => byId("drop-zone");

document.addEventListener("dragover", (event) => {
  if (!zone()) return;
  event.preventDefault();
  zone().classList.add("over");
});
document.addEventListener("dragleave", () => zone()?.classList.remove("over"));
document.addEventListener("drop", (event) => {
  if (!zone() || !event.dataTransfer.files.length) return;
  event.preventDefault();
  byId("file").files = event.dataTransfer.files;
  zone().requestSubmit();
});
