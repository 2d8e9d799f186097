// The sheet: lots dealt again for the eye, and slots as wide as their words.
"use strict";

const sheet = document.getElementById("sheet");

function fit(slot) {
  if (slot.matches("input")) slot.size = Math.max(6, (slot.value || slot.placeholder).length + 1);
}

// What was typed leads to other words elsewhere in the sentence; where somebody types, nothing moves.
document.addEventListener("live-drawn", () => {
  const { slots } = JSON.parse(document.getElementById("in-place").textContent);
  for (const [name, { text, choices, wrong }] of Object.entries(slots)) {
    const slot = document.getElementById(`slot-${name}`);
    slot.toggleAttribute("aria-invalid", wrong);
    if (slot === document.activeElement) continue;
    if (choices.length > 0) slot.replaceChildren(...choices.map(([key, told]) => new Option(told, key)));
    slot.value = text;
    fit(slot);
  }
});

for (const slot of sheet.querySelectorAll(".slot")) fit(slot);
sheet.addEventListener("input", ({ target }) => fit(target));
sheet.addEventListener("change", ({ target }) => {
  if (target.matches("select.slot")) soon();
});
sheet.addEventListener("click", (event) => {
  if (!event.target.closest("[data-deal-again]")) return;
  event.preventDefault();
  const deals = sheet.elements.deals;
  deals.value = Number(deals.value) + 1;
  refresh();
});
