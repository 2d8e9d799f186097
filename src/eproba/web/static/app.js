// Keys, the help sheet and small comforts of every page.
"use strict";

const keysSheet = document.getElementById("keys");

function go(selector) {
  const target = document.querySelector(selector);
  if (target) target.click();
}

const shortcuts = {
  t: () => go("nav a[href='/']"),
  l: () => go("nav a[href='/trials']"),
  n: () => document.getElementById("new-trial")?.requestSubmit(),
  d: () => go("main [data-due]"),
  "/": () => {
    const find = document.getElementById("find");
    if (find) find.focus();
    else go("nav a[href='/trials']");
  },
  "?": () => keysSheet.showModal(),
};

// Who speaks to the computer, or rests a hand on the keys, can do without keys of one letter (kept on the device).
const KEYS_OFF = "eproba-keys-off";

function keysWork() {
  try {
    return localStorage.getItem(KEYS_OFF) === null;
  } catch {
    return true;
  }
}

document.querySelectorAll("[data-keys-switch]").forEach((box) => {
  box.checked = keysWork();
  box.addEventListener("change", () => {
    if (box.checked) localStorage.removeItem(KEYS_OFF);
    else localStorage.setItem(KEYS_OFF, "1");
    document.querySelectorAll("[data-keys-switch]").forEach((each) => (each.checked = box.checked));
  });
});

function isTyping(target) {
  return target.closest("input, textarea, select, dialog[open]") !== null;
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
  const act = shortcuts[event.key];
  if (!act || !keysWork()) return;
  event.preventDefault();
  act();
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
});

// A calendar beside a day that can be typed: what is picked is written.
document.addEventListener("change", (event) => {
  const picker = event.target.closest("[data-day-for]");
  if (!picker?.value) return;
  const day = document.getElementById(picker.dataset.dayFor);
  day.value = picker.value;
  day.dispatchEvent(new Event("input", { bubbles: true }));
});

// On a narrow screen the day strip opens at today.
const todayLine = document.querySelector(".day-strip .today-line");
if (todayLine) {
  const frame = todayLine.closest(".scroll-x");
  const away = todayLine.getBoundingClientRect().left - frame.getBoundingClientRect().left;
  frame.scrollLeft += away - frame.clientWidth / 2;
}

// On paper nothing can be opened: what a verdict folds is printed with it.
addEventListener("beforeprint", () => {
  for (const fold of document.querySelectorAll("details[data-on-paper]:not([open])")) {
    fold.dataset.onPaper = "opened";
    fold.open = true;
  }
});
addEventListener("afterprint", () => {
  for (const fold of document.querySelectorAll("details[data-on-paper=opened]")) {
    fold.dataset.onPaper = "";
    fold.open = false;
  }
});

// A choice that changes the rest of the form: ask for it at once, with everything that was typed.
document.querySelectorAll("select[data-asks]").forEach((select) => {
  select.addEventListener("change", () => select.form.requestSubmit(document.getElementById(select.dataset.asks)));
});

// Only the fields that a choice asks for are shown.
function showAsked(group) {
  group.querySelectorAll("[data-when]").forEach((part) => {
    const choice = group.querySelector(`select[name$="${part.dataset.when}"]`);
    if (choice) part.hidden = !part.dataset.is.split("|").includes(choice.value);
  });
}

document.addEventListener("change", (event) => {
  const group = event.target.closest("[data-choices]");
  if (group) showAsked(group);
});

// A page, or a step of the planner that is drawn again.
function begin() {
  document.querySelectorAll("[data-choices]").forEach(showAsked);
  document.querySelectorAll("[data-day-for]").forEach((picker) => {
    const day = document.getElementById(picker.dataset.dayFor).value;
    picker.value = /^\d{4}-\d\d-\d\d$/.test(day) ? day : "";
  });
}

document.addEventListener("drawn-again", begin);
begin();

// The zone of this device is proposed while the household has chosen none.
document.querySelectorAll("select[data-zone='']").forEach((choice) => {
  const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
  if ([...choice.options].some((option) => option.value === own)) choice.value = own;
});
