// A page that comes back by the browser's own buttons shows how things stand now: out of the page cache it is as it was
// left, out of the other cache as it was made. With no signal, or with words in it that nobody has sent, it stays.
"use strict";

const SEEN = "pages-seen";
const FRESH_MS = 20000;
let isInUse = false; // somebody does something on the page that came back: it is not taken away under the hand

// Whether this very page, as the computer made it, was shown in this tab before.
function wasSeen(page) {
  try {
    const seen = JSON.parse(sessionStorage.getItem(SEEN) ?? "[]");
    sessionStorage.setItem(SEEN, JSON.stringify([...new Set([...seen, page])].slice(-100)));
    return seen.includes(page);
  } catch {
    return false;
  }
}

function isTouched(field) {
  if (field.type === "checkbox" || field.type === "radio") return field.checked !== field.defaultChecked;
  if (field.type === "file") return field.files.length > 0;
  const options = [...(field.options ?? [])];
  const first = options.find((option) => option.defaultSelected) ?? options[0];
  return field.value !== (field.defaultValue ?? first?.value ?? field.value);
}

// Words that only this page has: what the round's till, or a step of the planner, keeps elsewhere is safe.
function holdsWords() {
  const forms = [...document.querySelectorAll("main form[method=post]")].filter((form) => !form.dataset.keep);
  const fields = forms.flatMap((form) => [...form.elements]);
  return fields.some((field) => field.name && field.id !== "round-note" && isTouched(field));
}

async function refresh() {
  if (holdsWords() || Device.unkept.length > 0) return;
  try {
    const answer = await within(fetch(location.href, { cache: "no-store" }), FRESH_MS);
    if (answer.status < 500 && !isInUse && !Device.gone) location.replace(answer.url);
  } catch {
    // No signal: what is there can still be used.
  }
}

for (const kind of ["pointerdown", "keydown"]) {
  window.addEventListener(kind, () => {
    isInUse = true;
  });
}
window.addEventListener("pagehide", () => {
  isInUse = false;
});
window.addEventListener("pageshow", ({ persisted }) => {
  const { page } = document.body.dataset;
  if (!page) return; // the answer to a form, with what was typed there
  const seen = wasSeen(page);
  if (persisted || seen) refresh();
});
