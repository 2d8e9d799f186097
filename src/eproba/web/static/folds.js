// The folds of the sheet: a step opened in place; what is changed there shows in the sheet with the same answer.
"use strict";

const FOLD_PAUSE = 400;
let opened = null;
let foldPause = null;
let foldTyped = 0;

const bodyOf = (fold) => fold.querySelector("summary ~ div");
const formOf = (fold) => fold.querySelector("form");

function shownFold(fold, html) {
  bodyOf(fold).innerHTML = html;
  document.dispatchEvent(new Event("drawn-again"));
}

async function openFold(fold) {
  opened = fold;
  sheet.elements.opened.value = fold.dataset.fold;
  await Saves.settled();
  const answer = await fetch(fold.dataset.from, { credentials: "same-origin" });
  if (answer.ok && opened === fold) shownFold(fold, await answer.text());
}

// What was chosen changes what is asked: the whole fold is drawn; otherwise only what is told beside the fields.
function foldAgain(fold, isOther) {
  const fresh = document.getElementById("fold-again")?.content;
  if (!fresh) return;
  const was = formOf(fold);
  if (isOther || !was) {
    const [id, folds] = [document.activeElement?.id, [...fold.querySelectorAll("div details")].map(({ open }) => open)];
    bodyOf(fold).replaceChildren(fresh);
    const now = [...fold.querySelectorAll("div details")];
    if (now.length === folds.length) now.forEach((part, n) => (part.open = folds[n]));
    if (id) document.getElementById(id)?.focus({ preventScroll: true });
    document.dispatchEvent(new Event("drawn-again"));
    return;
  }
  for (const part of fresh.querySelectorAll("[data-again]")) {
    document.getElementById(part.id)?.replaceChildren(...part.childNodes);
  }
}

async function keepFold(fold, submitter) {
  clearTimeout(foldPause);
  foldPause = null;
  const form = formOf(fold);
  const mine = foldTyped;
  try {
    const isAsked = () => submitter !== null || mine === foldTyped;
    const answer = await Saves.inTurn(form, fold.dataset.from, isAsked, submitter);
    if (!answer?.ok || (submitter === null && mine !== foldTyped)) return;
    const leads = answer.headers.get("X-Leads");
    if (leads) location.assign(leads);
    sheet.querySelector("[data-live]").innerHTML = await answer.text();
    document.dispatchEvent(new Event("live-drawn"));
    if (opened === fold) foldAgain(fold, answer.headers.has("X-Step-Again"));
  } catch {
    // No signal: what is typed stays in the fold; the next change sends it.
  }
}

function foldSoon(fold) {
  foldTyped += 1;
  clearTimeout(foldPause);
  foldPause = setTimeout(() => keepFold(fold, null), FOLD_PAUSE);
}

for (const fold of document.querySelectorAll("[data-fold]")) {
  fold.addEventListener("toggle", (event) => {
    if (event.target !== fold) return;
    if (fold.open) openFold(fold);
    else {
      if (opened === fold) [opened, sheet.elements.opened.value] = [null, ""];
      bodyOf(fold).replaceChildren();
    }
  });
  for (const name of ["input", "ground-changed"]) fold.addEventListener(name, () => foldSoon(fold));
  fold.addEventListener("submit", (event) => {
    event.preventDefault();
    foldTyped += 1;
    keepFold(fold, event.submitter);
  });
}
document.addEventListener("live-drawn", () => {
  const { folds } = JSON.parse(document.getElementById("in-place").textContent);
  for (const [name, [summary, mark]] of Object.entries(folds)) {
    const head = document.querySelector(`[data-fold="${name}"] > summary`);
    head.querySelector("span").textContent = summary;
    head.querySelector("small").textContent = mark;
  }
  if (opened && !opened.contains(document.activeElement)) foldAgain(opened, true);
});
// What was just typed in a fold is saved before the sheet goes.
sheet.addEventListener("submit", () => {
  if (foldPause !== null && opened) keepFold(opened, null);
});
Saves.goesAfter(sheet);
