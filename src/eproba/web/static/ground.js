// The ground, drawn to scale and edited by mouse, touch and keyboard. The drawing lives in a hidden field as JSON.
"use strict";

const NS = "http://www.w3.org/2000/svg";
const field = (id) => document.getElementById(id);
const CM = { mm: 0.1, cm: 1, m: 100, in: 2.54, ft: 30.48 };
const GRIDS = { in: [6 * CM.in, 4], cm: [10, 5] }; // cm, half of it for trays; lines at 2 ft, or at half a metre
const READABLE = 15; // px of a name on the screen; the least of what is drawn smaller is 0.8 of it
const STANDING = ["pots", "bench", "tray"];
const NEW = {
  bed: { name: "Bed", width_cm: 200, length_cm: 100, rows: 1, columns: 1 },
  lawn: { name: "Lawn", width_cm: 200, length_cm: 200, rows: 1, columns: 1 },
  pots: { name: "Pots", width_cm: 210, length_cm: 70, rows: 2, columns: 6 },
  bench: { name: "Bench", width_cm: 240, length_cm: 60, rows: 2, columns: 8 },
  tray: { name: "Tray", width_cm: 40, length_cm: 30, rows: 6, columns: 8 },
};
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const [SHAPE, GAP] = [1.75, 40]; // width to height of the canvas; cm between a new place and its neighbour
let canvas = null;
let ground = { places: [] };
let usual = "cm";
let [GRID, COARSER] = GRIDS.cm;
let chosen = 0;
let drag = null;
let view = { x: 0, y: 0, width: 300, height: 200 };

const grid = (place) => (place.kind === "tray" ? GRID / 2 : GRID);
const snap = (value, step) => Math.round(value / step) * step;
const unit = () => CM[field("ground-unit").value];
const unitKept = () => `eproba-ground-unit-${usual}`; // asked again where the household changes its units
const shown = (cm) => String(Math.round((cm / unit()) * 100) / 100);
// “120”, “1,2 m” or “4 ft” as centimetres; NaN for anything else.
function centimetres(text) {
  const typed = text.trim().replace(",", ".");
  const [, number, written] = /^([\d.]+)\s*([a-z]*)$/i.exec(typed) ?? [];
  return Number(number) * (written ? CM[written.toLowerCase()] ?? NaN : unit());
}
const counted = (places) => (places === 1 ? "1 place" : `${places} places`);
const told = (cm) => `${shown(cm)} ${field("ground-unit").value}`;
const sizes = (place) => `${told(place.width_cm)} by ${told(place.length_cm)}`;
const standsAt = (place) => `${told(place.x_cm)} from left, ${told(place.y_cm)} from top`;
const whereabouts = (place) => `${sizes(place)}, ${standsAt(place)}`;

function draw(name, attributes, parent, words) {
  const part = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) part.setAttribute(key, value);
  if (words !== undefined) part.textContent = words;
  parent.appendChild(part);
  return part;
}

function extent() {
  const right = Math.max(...ground.places.map((p) => p.x_cm + p.width_cm), 0);
  const bottom = Math.max(...ground.places.map((p) => p.y_cm + p.length_cm), 0);
  const left = Math.min(...ground.places.map((p) => p.x_cm), right);
  const top = Math.min(...ground.places.map((p) => p.y_cm), bottom);
  return { left, top, right, bottom };
}

// Everything with some room around it, in the shape of the canvas, so that the grid fills it.
function fitView() {
  const { left, top, right, bottom } = extent();
  const pad = Math.max(30, 0.08 * (right - left));
  const tall = Math.max(bottom - top + 2.6 * pad, 110);
  const width = Math.max(right - left + 2 * pad, SHAPE * tall);
  const height = width / SHAPE;
  view = { x: (left + right - width) / 2, y: top - 1.4 * pad - (height - tall) / 2, width, height };
}

// Beside or below what is there, whichever keeps the drawing larger.
function roomFor(place) {
  const { left, top, right, bottom } = extent();
  const beside = Math.max(right - left + GAP + place.width_cm, SHAPE * Math.max(bottom - top, place.length_cm));
  const below = Math.max(right - left, place.width_cm, SHAPE * (bottom - top + GAP + place.length_cm));
  return beside < below ? [right + GAP, top] : [left, bottom + GAP];
}

function drawGrid(size) {
  const step = GRID * (view.width > 900 ? 2 * COARSER : view.width > 200 ? COARSER : 1);
  for (let x = Math.ceil(view.x / step) * step; x < view.x + view.width; x += step) {
    draw("path", { class: "grid-line", d: `M${x} ${view.y}V${view.y + view.height}` }, canvas);
  }
  for (let y = Math.ceil(view.y / step) * step; y < view.y + view.height; y += step) {
    draw("path", { class: "grid-line", d: `M${view.x} ${y}H${view.x + view.width}` }, canvas);
  }
  const corner = { x: view.x + size / 2, y: view.y + view.height - size / 2 };
  const label = { class: "grid-label", ...corner, "font-size": 0.8 * size };
  draw("text", label, canvas, `squares of ${told(step)}`);
}

// A name is no wider than its place: smaller first, then cut short.
function fitted(text, width, size) {
  const wide = text.getComputedTextLength();
  if (wide <= width) return;
  const smaller = Math.max(width / wide, 0.8);
  text.setAttribute("font-size", size * smaller);
  const letters = Math.floor((text.textContent.length * width) / (wide * smaller));
  if (letters < text.textContent.length) text.textContent = `${text.textContent.slice(0, Math.max(letters - 1, 1))}…`;
}

function drawPlace(place, index, size) {
  const spoken = `${place.name} ${told(place.width_cm)} × ${told(place.length_cm)}`;
  const name = `place-group${index === chosen ? " chosen" : ""}`;
  const words = `${spoken}, ${standsAt(place)}`;
  const reachable = { tabindex: 0, role: "button", "aria-label": words, "aria-pressed": index === chosen };
  const group = draw("g", { class: name, ...reachable, "data-index": index }, canvas);
  const outline = { x: place.x_cm, y: place.y_cm, width: place.width_cm, height: place.length_cm };
  draw("rect", { class: `place ${place.kind}`, ...outline, rx: 2 }, group);
  if (STANDING.includes(place.kind)) {
    const [w, h] = [place.width_cm / place.columns, place.length_cm / place.rows];
    for (let r = 0; r < place.rows; r++) {
      for (let c = 0; c < place.columns; c++) {
        const [x, y] = [place.x_cm + c * w, place.y_cm + r * h];
        const cell = { x: x + 0.06 * w, y: y + 0.06 * h, width: 0.88 * w, height: 0.88 * h };
        if (place.kind === "tray") draw("rect", { class: "vessel", ...cell }, group);
        else draw("ellipse", { class: "vessel", cx: x + w / 2, cy: y + h / 2, rx: 0.42 * w, ry: 0.42 * h }, group);
      }
    }
  }
  const label = { class: "place-label", x: place.x_cm, y: place.y_cm - 0.35 * size, "font-size": size };
  fitted(draw("text", label, group, spoken), Math.max(place.width_cm, GAP), size);
  const corner = { cx: place.x_cm + place.width_cm, cy: place.y_cm + place.length_cm, r: 0.7 * size };
  if (index === chosen) draw("circle", { class: "size-handle", ...corner, "data-index": index }, group);
}

function drawGradient(size) {
  if (!ground.gradient) return;
  const [cx, cy] = [view.x + view.width / 2, view.y + view.height / 2];
  const reach = 0.4 * Math.min(view.width, view.height);
  const group = draw("g", { class: "gradient", transform: `rotate(${ground.gradient.towards} ${cx} ${cy})` }, canvas);
  draw("path", { class: "gradient-line", d: `M${cx} ${cy + reach}V${cy - reach}`, "stroke-width": 0.35 * size }, group);
  const foot = cy - reach + size;
  const head = `M${cx - size} ${foot}L${cx} ${cy - reach - size}L${cx + size} ${foot}Z`;
  draw("path", { class: "gradient-head", d: head }, group);
}

function redraw() {
  if (!canvas.isConnected) return; // its fold was closed
  const focused = canvas.contains(document.activeElement);
  canvas.replaceChildren();
  canvas.setAttribute("viewBox", `${view.x} ${view.y} ${view.width} ${view.height}`);
  const size = Math.max(view.width / 42, view.height / 24, READABLE / (canvas.getScreenCTM()?.a || 1));
  drawGrid(size);
  ground.places.forEach((place, index) => drawPlace(place, index, size));
  drawGradient(size);
  if (focused) canvas.querySelector(`[data-index="${chosen}"]`)?.focus({ preventScroll: true });
}

function fillFields() {
  const place = ground.places[chosen];
  field("no-place").hidden = Boolean(place);
  document.querySelector(".place-inputs").hidden = !place;
  if (!place) return;
  const values = {
    name: place.name,
    width: shown(place.width_cm),
    length: shown(place.length_cm),
    x: shown(place.x_cm),
    y: shown(place.y_cm),
    columns: place.columns,
    rows: place.rows,
  };
  for (const [key, value] of Object.entries(values)) {
    if (document.activeElement !== field(`place-${key}`)) field(`place-${key}`).value = value;
  }
  field("place-standing").hidden = !STANDING.includes(place.kind);
}

function changed(words) {
  field("places-data").value = JSON.stringify(ground);
  field("places-auto").value = "";
  if (words) field("ground-says").textContent = words;
  redraw();
  fillFields();
  canvas.dispatchEvent(new CustomEvent("ground-changed", { bubbles: true }));
}

function choose(index) {
  chosen = index;
  redraw();
  fillFields();
}

function add(kind) {
  if (field("places-auto").value === "1") ground.places = []; // nobody had drawn yet: the pots were only a guess
  const place = { kind, ...NEW[kind], x_cm: 0, y_cm: 0 };
  for (const side of ["width_cm", "length_cm"]) place[side] = Math.max(1, Math.round(place[side] / GRID)) * GRID;
  if (ground.places.length) [place.x_cm, place.y_cm] = roomFor(place);
  place.name = `${place.name} ${ground.places.filter((p) => p.kind === kind).length + 1}`;
  ground.places.push(place);
  chosen = ground.places.length - 1;
  fitView();
  changed(`${place.name} added, ${counted(ground.places.length)}.`);
}

function turn(place) {
  [place.width_cm, place.length_cm] = [place.length_cm, place.width_cm];
  [place.rows, place.columns] = [place.columns, place.rows];
  fitView();
  changed(`${place.name} turned.`);
}

function remove(index) {
  const [gone] = ground.places.splice(index, 1);
  chosen = Math.max(0, index - 1);
  fitView();
  changed(`${gone.name} removed, ${ground.places.length} left.`);
}

function size(place, width, length) {
  const step = grid(place);
  place.width_cm = Math.max(step, snap(width, step));
  place.length_cm = Math.max(step, snap(length, step));
}

function pressed(event) {
  const group = event.target.closest("[data-index]");
  if (!group || event.ctrlKey || event.metaKey || event.altKey || event.key === "Tab") return;
  const place = ground.places[Number(group.dataset.index)];
  const [step, arrow] = [grid(place), ARROWS[event.key]];
  event.stopPropagation();
  if (arrow) {
    event.preventDefault();
    if (event.shiftKey) size(place, place.width_cm + arrow[0] * step, place.length_cm + arrow[1] * step);
    else [place.x_cm, place.y_cm] = [place.x_cm + arrow[0] * step, place.y_cm + arrow[1] * step];
    fitView();
    changed(`${place.name}: ${whereabouts(place)}.`);
  } else if (event.key === "t" || event.key === "T") turn(place);
  else if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    remove(Number(group.dataset.index));
  } else if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    choose(Number(group.dataset.index));
  }
}

function reached(event) {
  const index = Number(event.target.dataset.index);
  if (event.target.dataset.index !== undefined && index !== chosen) choose(index);
}

function point(event) {
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(canvas.getScreenCTM().inverse());
  return [at.x, at.y];
}

function taken(event) {
  const head = event.target.closest(".gradient-head");
  const part = event.target.closest("[data-index]");
  if (!head && !part) return;
  canvas.setPointerCapture(event.pointerId);
  if (head) {
    drag = { head: true };
    return;
  }
  event.preventDefault();
  const index = Number(part.dataset.index);
  const place = ground.places[index];
  drag = { place, start: point(event), from: { ...place }, sizing: part.classList.contains("size-handle") };
  choose(index);
  canvas.querySelector(`.place-group[data-index="${index}"]`).focus({ preventScroll: true });
}

function moved(event) {
  if (!drag) return;
  const [x, y] = point(event);
  if (drag.head) {
    const [cx, cy] = [view.x + view.width / 2, view.y + view.height / 2];
    ground.gradient.towards = (snap((Math.atan2(x - cx, cy - y) * 180) / Math.PI, 45) + 360) % 360;
    field("gradient-towards").value = String(ground.gradient.towards);
    redraw();
    return;
  }
  const [dx, dy] = [x - drag.start[0], y - drag.start[1]];
  const { place, from } = drag;
  if (drag.sizing) size(place, from.width_cm + dx, from.length_cm + dy);
  else [place.x_cm, place.y_cm] = [snap(from.x_cm + dx, grid(place)), snap(from.y_cm + dy, grid(place))];
  redraw();
  fillFields();
}

function dropped() {
  if (!drag) return;
  drag = null;
  fitView();
  changed("");
}

const LENGTHS = { width: "width_cm", length: "length_cm", x: "x_cm", y: "y_cm" };
function typedPlace(event) {
  const key = event.target.id.replace("place-", "");
  const place = ground.places[chosen];
  const [length, number] = [centimetres(event.target.value), Number(event.target.value)];
  if (key === "name") place.name = event.target.value;
  else if (key in LENGTHS && !Number.isFinite(length)) return;
  else if (key in LENGTHS) place[LENGTHS[key]] = Math.round(length * 10) / 10;
  else if (Number.isInteger(number) && number > 0) sameVessels(place, key, number);
  if (key !== "name") fitView();
  changed("");
}

// More pots in a row make the row longer, not the pots smaller.
function sameVessels(place, key, number) {
  const along = key === "columns" ? "width_cm" : "length_cm";
  place[along] = (place[along] / place[key]) * number;
  place[key] = number;
}

function readUnit() {
  localStorage.setItem(unitKept(), field("ground-unit").value);
  redraw();
  fillFields();
}
function readNorth(event) {
  ground.north = Number(event.target.value);
  changed("");
}
function readGradient() {
  const kind = field("gradient-kind").value;
  ground.gradient = kind ? { kind, towards: Number(field("gradient-towards").value) } : null;
  changed(kind ? "Gradient set." : "No gradient.");
}

// A page with a drawing on it, or one that has come into it meanwhile.
function beginGround() {
  if (!field("ground") || field("ground") === canvas) return;
  canvas = field("ground");
  ground = JSON.parse(field("places-data").value);
  usual = field("ground-unit").dataset.usual;
  [GRID, COARSER] = GRIDS[usual];
  chosen = 0;
  const heard = { keydown: pressed, focusin: reached, pointerdown: taken, pointermove: moved };
  for (const [name, act] of Object.entries({ ...heard, pointerup: dropped, pointercancel: dropped })) {
    canvas.addEventListener(name, act);
  }
  document.querySelectorAll("[data-add]").forEach((button) => {
    button.addEventListener("click", () => add(button.dataset.add));
  });
  field("place-turn").addEventListener("click", () => turn(ground.places[chosen]));
  field("place-remove").addEventListener("click", () => remove(chosen));
  document.querySelector(".place-inputs").addEventListener("input", typedPlace);
  field("ground-unit").addEventListener("change", readUnit);
  field("ground-north").addEventListener("change", readNorth);
  for (const id of ["gradient-kind", "gradient-towards"]) field(id).addEventListener("change", readGradient);
  field("ground-unit").value = localStorage.getItem(unitKept()) ?? usual;
  field("ground-north").value = String(snap(ground.north ?? 0, 45) % 360);
  field("gradient-kind").value = ground.gradient?.kind ?? "";
  field("gradient-towards").value = String(snap(ground.gradient?.towards ?? 90, 45) % 360);
  fitView();
  new ResizeObserver(redraw).observe(canvas);
  fillFields();
}

document.addEventListener("drawn-again", beginGround);
beginGround();
