/* The target bench: an edge that is dragged writes itself into its field, and the field asks. */

import { on } from "../js/dom.js";

on("input", "[data-edge]", (range) => {
  const field = document.getElementById(`f-${range.dataset.edge}`);
  if (field) field.value = `${range.value}${range.dataset.unit}`;
  const track = range.closest(".track");
  const ends = [...track.querySelectorAll("input")].map((end) => (100 * (end.value - end.min)) / (end.max - end.min));
  const band = track.querySelector(".window");
  band?.setAttribute("x", Math.min(...ends));
  band?.setAttribute("width", Math.abs(ends[1] - ends[0]));
});
