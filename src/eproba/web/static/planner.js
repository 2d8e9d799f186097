// The planner: what is typed is kept on the way.
"use strict";

const step = document.getElementById("step");
const PAUSE = 600;
let pause = null;
let leaving = false;

async function keepTyped() {
  if (leaving || !step.dataset.keep) return;
  try {
    const body = new FormData(step);
    const answer = await fetch(step.dataset.keep, { method: "POST", body, credentials: "same-origin" });
    const version = answer.headers.get("X-Step-Version");
    if (answer.ok && version && !leaving) step.elements.seen.value = version;
  } catch {
    // No signal: the button below sends it all the same.
  }
}

step.addEventListener("input", () => {
  clearTimeout(pause);
  pause = setTimeout(keepTyped, PAUSE);
});
step.addEventListener("submit", () => {
  leaving = true;
  clearTimeout(pause);
});
