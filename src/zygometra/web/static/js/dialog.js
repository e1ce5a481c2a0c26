/* What opens above the page: a figure's form, the working of a result. */

import { build, byId, isCommand, on } from "./dom.js";
import { restoreDrafts } from "./drafts.js";
import { plan } from "./levers.js";

const dialog = () => byId("dialog");

export const isOpen = () => dialog().open;

/** Fetches a page into the dialog and opens it. */
export async function open(address) {
  await htmx.ajax("GET", address, { target: "#dialog", swap: "innerHTML" });
  if (!dialog().firstElementChild) return;
  if (!dialog().open) dialog().showModal();
  dialog().querySelector("#chosen-step")?.scrollIntoView({ block: "center" });
  restoreDrafts(dialog());
  (dialog().querySelector("[autofocus]") || dialog().querySelector("[data-close]"))?.focus();
}

/** Opens the working of a result, of the hole on screen where none is named. */
export function openWorking(result, hole) {
  const query = new URLSearchParams({ result, hole: hole || byId("hole-on-screen")?.value || "" });
  if (plan()) query.set("plan", plan());
  return open(`${build().dataset.workingPage}?${query}`);
}

/** Opens the form of a figure; it leads back to this page. */
export function openFigure(path) {
  const query = new URLSearchParams({ at: path, back: location.pathname + location.search });
  return open(`${build().dataset.figureForm}?${query}`);
}

on("click", "[data-close]", () => dialog().close());
on("click", "a[data-open]", (link, event) => {
  if (isCommand(event)) return;
  event.preventDefault();
  open(link.href);
});
document.addEventListener("click", (event) => {
  if (event.target === dialog()) dialog().close();
});
