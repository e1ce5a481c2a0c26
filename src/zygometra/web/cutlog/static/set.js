/* The log of a set: a cut that was logged without a network is followed by the piece's next one. */

document.querySelector("form[data-queue=piece]").addEventListener("queue:taken", ({ target: form, detail: entry }) => {
  const piece = entry.fields.find(([name]) => name === "cylinder")[1];
  const number = form.elements[`number.${piece}`];
  number.value = `${Number(number.value) + 1}`;
});
