// The planner: what is typed is kept on the way.
"use strict";

const step = document.getElementById("step");
const PAUSE = 600;
let pause = null;
let leaving = false;
let typed = 0;

async function keepTyped() {
  if (leaving || !step.dataset.keep) return;
  try {
    const sent = typed;
    const answer = await Saves.inTurn(step, step.dataset.keep, () => sent === typed && !leaving);
    if (!answer?.ok || leaving) return;
    if (answer.headers.get("X-Step-Again") && sent === typed) await drawAgain(sent);
  } catch {
    // No signal: the button below sends it all the same.
  }
}

// What was chosen changes what is asked: the page shows what is kept now. Whoever types on meanwhile is not disturbed.
async function drawAgain(sent) {
  const answer = await fetch(location.href, { credentials: "same-origin" });
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html").getElementById("step");
  if (!fresh || leaving || sent !== typed) return;
  const opened = [...step.querySelectorAll("details")].map((fold) => fold.open);
  const { id, selectionStart: from, selectionEnd: to } = document.activeElement;
  step.replaceChildren(...fresh.childNodes);
  const folds = [...step.querySelectorAll("details")];
  if (folds.length === opened.length) folds.forEach((fold, n) => (fold.open = opened[n]));
  const field = id && document.getElementById(id);
  if (field) field.focus({ preventScroll: true });
  if (field && Number.isInteger(from)) field.setSelectionRange(from, to); // whoever types on goes on where he was
  document.dispatchEvent(new Event("drawn-again"));
}

step.addEventListener("input", () => {
  typed += 1;
  clearTimeout(pause);
  pause = setTimeout(keepTyped, PAUSE);
});
step.addEventListener("submit", () => {
  leaving = true;
  clearTimeout(pause);
});
Saves.goesAfter(step);
