// A round at the table: arrow keys, paste from a spreadsheet, each cell an entry like any other.
"use strict";

const data = JSON.parse(document.getElementById("round-data").textContent);
const rows = [...document.querySelectorAll(".typing-grid tbody tr")].map((row) => [...row.querySelectorAll("input")]);
const cells = rows.flat();
const line = document.querySelector(".grid-line");
const open = document.querySelector(".grid-open");
const standing = new Map(cells.map((cell) => [cell.dataset.place, { ...data.saved[cell.dataset.place] }]));
const shown = new Map(cells.map((cell) => [cell.dataset.place, cell.value]));
let sent = false; // anything of this page
const cellAt = (op) => cells.find((cell) => cell.dataset.place === `${op.unit}:${op.measure}:${op.replicate}`);

function where(cell) {
  const row = rows.findIndex((each) => each.includes(cell));
  return [row, rows[row].indexOf(cell)];
}

function goTo(row, column) {
  const cell = rows[row]?.[column];
  if (!cell) return;
  cell.focus();
  cell.select();
}

function mark(cell, state) {
  cell.classList.remove("is-waiting", "is-saved", "is-open");
  cell.classList.add(state);
}

async function keep(cell) {
  const typed = cell.value.trim();
  const { place } = cell.dataset;
  if (typed === shown.get(place) || !typed) return;
  shown.set(place, typed);
  const [unit, measure, replicate] = place.split(":");
  const there = standing.get(place);
  const { name, unit: unitOfValue } = data.asked.find((asked) => asked.key === measure);
  const op = {
    id: Device.newKey(),
    trial: data.trial,
    round: data.round,
    unit,
    measure,
    replicate: Number(replicate),
    typed,
    unit_of_value: unitOfValue,
    skip: "",
    sure: false,
    at: Keeper.now(),
    seen: there.version ?? 0,
    replaces: there.id ?? "",
  };
  standing.set(place, { ...there, id: op.id });
  mark(cell, "is-waiting");
  sent = true;
  const told = { trial: data.trialName, round: data.roundName, day: data.day, unit, measure: name };
  await Keeper.add(op, { ...told, title: `${unit}: ${name}` });
  Keeper.send();
}

// What has to be decided stands above the table, with its ways out.
async function showOpen() {
  const mine = (await Keeper.all()).filter((entry) => entry.op.round === data.round);
  const waiting = mine.filter((entry) => entry.state === "waiting").length;
  const kept = waiting === 1 ? "1 value waits" : `${waiting} values wait`;
  const waits = waiting ? `${Keeper.trouble} ${kept} ${Keeper.where}.` : sent && Keeper.isKnown ? "All sent." : "";
  line.textContent = [Device.words, waits.trim()].filter(Boolean).join(" ");
  open.replaceChildren(
    ...mine
      .filter((entry) => entry.state !== "waiting")
      .map((entry) => {
        const item = document.createElement("li");
        item.className = "flash";
        item.append(`${entry.told.title}: ${Keeper.wordedOp(entry.op)}. ${Keeper.why(entry)} `);
        for (const way of Keeper.ways(entry)) {
          const button = document.createElement("button");
          button.className = `button ${way.look}`;
          button.textContent = way.words;
          button.addEventListener("click", () => Keeper.decide(entry, way.act));
          item.append(button);
        }
        return item;
      }),
  );
}

document.addEventListener("entry-answered", ({ detail: { entry, answer } }) => {
  const cell = entry.op.round === data.round && cellAt(entry.op);
  if (!cell) return;
  if (answer.there) standing.set(cell.dataset.place, { ...answer.there, id: entry.op.id });
  mark(cell, answer.status === "saved" ? "is-saved" : "is-open");
});
document.addEventListener("entry-decided", ({ detail: { entry, act } }) => {
  const cell = entry.op.round === data.round && cellAt(entry.op);
  if (!cell || act !== "drop") return;
  cell.value = entry.there?.value ?? "";
  shown.set(cell.dataset.place, cell.value);
  cell.classList.remove("is-open");
});
document.addEventListener("entries-changed", showOpen);

for (const cell of cells) {
  cell.addEventListener("change", () => keep(cell));
  cell.addEventListener("keydown", (event) => {
    const [row, column] = where(cell);
    const atStart = cell.selectionEnd === 0;
    const atEnd = cell.selectionStart === cell.value.length;
    const all = cell.selectionStart === 0 && cell.selectionEnd === cell.value.length;
    const steps = { Enter: [1, 0], ArrowDown: [1, 0], ArrowUp: [-1, 0] };
    if (event.key === "ArrowLeft" && (atStart || all)) steps.ArrowLeft = [0, -1];
    if (event.key === "ArrowRight" && (atEnd || all)) steps.ArrowRight = [0, 1];
    const step = steps[event.key];
    if (!step) return;
    event.preventDefault();
    keep(cell);
    goTo(row + step[0], column + step[1]);
  });
  cell.addEventListener("paste", (event) => {
    const text = event.clipboardData.getData("text").replace(/\r/g, "").replace(/\n$/, "");
    if (!/[\t\n]/.test(text)) return;
    event.preventDefault();
    const [row, column] = where(cell);
    text.split("\n").forEach((lineText, down) => {
      lineText.split("\t").forEach((value, across) => {
        const target = rows[row + down]?.[column + across];
        if (!target || target.disabled) return;
        target.value = value.trim();
        keep(target);
      });
    });
  });
}

showOpen();
