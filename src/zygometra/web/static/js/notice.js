/* Says when the program does not answer, and takes it back when it does. */

import { byId } from "./dom.js";

const SILENT = "The program does not answer.";

document.addEventListener("htmx:sendError", () => {
  const lead = document.createElement("b");
  lead.textContent = SILENT;
  const line = document.createElement("p");
  line.className = "flash bad";
  line.append(lead, " What is on screen is not lost; it will go on when the program is back.");
  byId("notice").replaceChildren(line);
});
document.addEventListener("htmx:afterOnLoad", () => {
  if (byId("notice").textContent.includes(SILENT)) byId("notice").replaceChildren();
});
