// A round at the table: arrow keys, paste from a spreadsheet, each cell an entry like any other.
"use strict";

const data = JSON.parse(document.getElementById("round-data").textContent);
const rows = [...document.querySelectorAll(".typing-grid tbody tr")].map((row) => [...row.querySelectorAll("input")]);
const cells = rows.flat();
const line = document.querySelector(".typing-line");
const open = document.querySelector(".grid-open");
const readOn = document.getElementById("read-on");
const emptied = new Map(); // cells that were cleared: nothing is taken back by that alone
let pasted = ""; // what did not fit of the last paste
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
  if (typed === shown.get(place)) return;
  if (!typed) {
    emptied.set(place, cell);
    showOpen();
    return;
  }
  emptied.delete(place);
  shown.set(place, typed);
  await write(cell, { typed });
}

async function write(cell, what) {
  const { place } = cell.dataset;
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
    typed: "",
    unit_of_value: unitOfValue,
    skip: "",
    sure: false,
    at: Keeper.now(),
    ...(readOn.value === data.today ? {} : { on: readOn.value }),
    seen: there.version ?? 0,
    replaces: there.id ?? "",
    ...what,
  };
  standing.set(place, { ...there, id: op.id });
  mark(cell, "is-waiting");
  sent = true;
  const told = { trial: data.trialName, round: data.roundName, day: data.day, unit, measure: name };
  await Keeper.add(op, { ...told, title: `${unit}: ${name}` });
  Keeper.send();
}

// A cell that was cleared: its value stays, or is taken out with a reason.
function clearedItem([place, cell]) {
  const item = document.createElement("li");
  item.className = "flash";
  const [unit, measure] = place.split(":");
  const { name } = data.asked.find((asked) => asked.key === measure);
  const reason = Object.assign(document.createElement("input"), { className: "input", maxLength: 300 });
  reason.setAttribute("aria-label", `Why ${unit}, ${name} is taken out`);
  const stays = `${unit}, ${name}: ${shown.get(place)} stays on record, though its cell is empty.`;
  item.append(`${stays} To take it out, say why: `, reason);
  const leave = () => {
    cell.value = shown.get(place);
    emptied.delete(place);
    cell.focus(); // the button goes
    showOpen();
  };
  const takeOut = async () => {
    if (!reason.value.trim()) {
      reason.focus();
      return;
    }
    emptied.delete(place);
    shown.set(place, "");
    cell.focus();
    await write(cell, { undo: true, reason: reason.value.trim() });
  };
  for (const [words, act] of [["Take it out", takeOut], ["Leave it", leave]]) {
    const button = Object.assign(document.createElement("button"), { className: "button", textContent: words });
    button.type = "button";
    button.addEventListener("click", act);
    item.append(" ", button);
  }
  return item;
}

// What has to be decided stands above the table, with its ways out.
async function showOpen() {
  const mine = (await Keeper.all()).filter((entry) => entry.op.round === data.round);
  for (const entry of mine.filter((each) => each.state === "waiting" && each.op.unit)) showWaiting(entry.op);
  const waiting = mine.filter((entry) => entry.state === "waiting").length;
  const kept = waiting === 1 ? "1 value waits" : `${waiting} values wait`;
  const waits = waiting ? `${Keeper.trouble} ${kept} ${Keeper.where}.` : sent && Keeper.isKnown ? "All sent." : "";
  line.textContent = [pasted, Device.words, waits.trim()].filter(Boolean).join(" ");
  if (document.activeElement.matches(".grid-open input")) return; // somebody types a reason there
  open.replaceChildren(
    ...[...emptied].map(clearedItem),
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

// What this device holds and the computer has not taken yet stands in its cell.
function showWaiting(op) {
  const cell = cellAt(op);
  if (!cell || cell === document.activeElement || op.again) return;
  const { place } = cell.dataset;
  cell.value = op.undo ? "" : op.typed || "";
  shown.set(place, cell.value);
  standing.set(place, { ...standing.get(place), id: op.id });
  mark(cell, "is-waiting");
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
  const { place } = cell.dataset;
  if (shown.get(place) !== entry.op.typed) return; // another value was typed there since
  cell.value = entry.there?.value ?? "";
  shown.set(place, cell.value);
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
    const left = [];
    text.split("\n").forEach((lineText, down) => {
      lineText.split("\t").forEach((value, across) => {
        const target = rows[row + down]?.[column + across];
        if (!target || target.disabled) {
          if (value.trim()) left.push(value.trim());
          return;
        }
        target.value = value.trim();
        if (value.trim()) keep(target);
      });
    });
    const count = left.length === 1 ? "1 pasted value has" : `${left.length} pasted values have`;
    pasted = left.length ? `${count} no cell and was not taken: ${left.slice(0, 8).join(", ")}.` : "";
    if (left.length > 1) pasted = pasted.replace("was not", "were not");
    showOpen();
  });
}

readOn.value = ReadOn.kept(data) || readOn.value;
readOn.addEventListener("change", () => ReadOn.keep(data, readOn.value));
showOpen();
