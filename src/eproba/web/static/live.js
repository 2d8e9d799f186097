// Live parts: what is typed or drawn is sent, and the server's answer takes its place.
"use strict";

const planner = document.querySelector("form.live");
const WAIT = 150;
let waiting = null;
let asked = 0;

async function refresh() {
  const mine = ++asked;
  const live = document.querySelector("[data-live]"); // a step that is drawn again has another one
  live.setAttribute("aria-busy", "true");
  try {
    const answer = await Saves.inTurn(planner, live.dataset.live, () => mine === asked);
    if (!answer?.ok || mine !== asked) return;
    const open = [...live.querySelectorAll("details[open][id]")].map((fold) => fold.id);
    live.innerHTML = await answer.text();
    for (const id of open) document.getElementById(id)?.setAttribute("open", ""); // what is being read stays open
    document.dispatchEvent(new Event("live-drawn"));
  } catch {
    // No signal: the last picture stays; the button below asks again.
  } finally {
    if (mine === asked) live.removeAttribute("aria-busy");
  }
}

function soon() {
  clearTimeout(waiting);
  waiting = setTimeout(refresh, WAIT);
}

planner.addEventListener("ground-changed", soon);
planner.addEventListener("submit", () => clearTimeout(waiting));
planner.addEventListener("input", (event) => {
  if (event.target.matches("input[type=range]")) event.target.nextElementSibling.value = event.target.value;
  if (event.target.closest(".cutter, .movers, .movers-claim")) soon();
});
planner.addEventListener("click", (event) => {
  const cell = event.target.closest(".chance-cell");
  if (!cell) return;
  const units = document.getElementById("units");
  units.value = cell.dataset.units;
  units.nextElementSibling.value = cell.dataset.units;
  document.getElementById("worth").value = String(Number(cell.dataset.worth));
  refresh();
});
planner.querySelector("[data-no-live]")?.remove();
