// Pictures: sent one after the other, however many are dropped; corners of a unit tapped onto one.
"use strict";

const drop = document.querySelector("[data-photos]");

async function sendAll(files) {
  const list = drop.querySelector(".sent-list");
  let wrong = false;
  for (const [number, file] of [...files].entries()) {
    const line = list.appendChild(document.createElement("li"));
    line.textContent = `${number + 1} of ${files.length}: sending …`;
    const body = new FormData();
    body.append("csrf_token", drop.elements.csrf_token.value);
    body.append("file", file);
    try {
      const answer = await fetch(drop.action, { method: "POST", body, headers: { Accept: "application/json" } });
      const told = await answer.json();
      line.textContent = `${number + 1} of ${files.length}: ${told.said ?? told.help ?? told.error}`;
      wrong ||= !answer.ok;
    } catch {
      line.textContent = `${number + 1} of ${files.length}: no connection. Choose it again when it is back.`;
      wrong = true;
    }
  }
  if (!wrong) location.reload();
}

if (drop) {
  drop.addEventListener("submit", (event) => {
    if (!drop.elements.file.files.length) return;
    event.preventDefault();
    sendAll(drop.elements.file.files);
  });
  drop.addEventListener("dragover", (event) => event.preventDefault());
  drop.addEventListener("drop", (event) => {
    event.preventDefault();
    sendAll(event.dataTransfer.files);
  });
}

// A circle as it is shown: the computer lays it flat on the ground.
function rim(taps) {
  const [middle, edge] = taps.map((tap) => tap.split(",").map(Number));
  if (taps.length !== 2) return taps;
  const radius = Math.hypot(edge[0] - middle[0], edge[1] - middle[1]);
  const turns = Array.from({ length: 24 }, (_, n) => (2 * Math.PI * n) / 24);
  return turns.map((turn) => `${middle[0] + radius * Math.cos(turn)},${middle[1] + radius * Math.sin(turn)}`);
}

// The picture lies in an SVG of its own pixels, so that a tap is a pixel.
document.querySelectorAll(".outline-taps").forEach((canvas) => {
  const field = document.getElementById(canvas.dataset.outline);
  const polygon = canvas.querySelector("polygon");
  const picture = new Image();
  const points = () => field.value.split(";").filter(Boolean);
  const isCircle = () => document.querySelector('input[name="shape"]:checked')?.value === "circle";
  const show = () => polygon.setAttribute("points", (isCircle() ? rim(points()) : points()).join(" "));
  let fresh = true; // the first tap begins a new outline
  document.querySelectorAll('input[name="shape"]').forEach((each) => {
    each.addEventListener("change", () => {
      fresh = true;
    });
  });
  picture.addEventListener("load", () => {
    canvas.setAttribute("viewBox", `0 0 ${picture.naturalWidth} ${picture.naturalHeight}`);
    canvas.querySelector("image").setAttribute("width", picture.naturalWidth);
    canvas.querySelector("image").setAttribute("height", picture.naturalHeight);
    show();
  });
  picture.src = canvas.querySelector("image").getAttribute("href");
  canvas.addEventListener("click", (event) => {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(canvas.getScreenCTM().inverse());
    const corner = `${Math.max(0, Math.round(at.x))},${Math.max(0, Math.round(at.y))}`;
    field.value = [...(fresh ? [] : points()), corner].join(";");
    fresh = isCircle() && points().length === 2;
    show();
  });
});
