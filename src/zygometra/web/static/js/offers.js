/* A reading that is offered beside a field goes into the field with one press. */

import { on } from "./dom.js";

on("click", "[data-fill]", (button) => {
  const field = button.closest("form")?.elements.namedItem(button.dataset.into);
  if (!field) return;
  field.value = button.dataset.fill;
  field.dispatchEvent(new Event("input", { bubbles: true }));
  field.focus();
});
