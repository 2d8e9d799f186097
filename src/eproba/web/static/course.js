// Each unit's course over the days, drawn with Observable Plot.
"use strict";

const INK = "#1f2b33";
const LINES = {
  "water control": { color: "#59636b", dash: "5 4" },
  untreated: { color: "#59636b", dash: "1 4" },
};
const TESTED = ["#b4451f", "#1d5c99", "#8a6200", "#6d2c7c", "#0d6354", "#2c3c47", "#9a1f4b"];

function looks(treatments) {
  let tested = 0;
  const look = { "": { color: INK, dash: "none" } };
  for (const each of treatments) {
    look[each.letter] = LINES[each.role] ?? { color: TESTED[tested++ % TESTED.length], dash: "none" };
  }
  return look;
}

function endPoints(points) {
  const last = new Map();
  for (const point of points) last.set(point.unit, point);
  return [...last.values()];
}

function drawCourses() {
  const data = JSON.parse(document.getElementById("course-data").textContent);
  const figure = document.getElementById("course-chart");
  if (!figure || data.points.length === 0) return;
  const look = looks(data.treatments);
  const letters = [...new Set(data.points.map((point) => point.treatment))];
  const marks = letters.map((letter) =>
    Plot.lineY(data.points.filter((point) => point.treatment === letter), {
      x: "day", y: "value", z: "unit", stroke: look[letter].color, strokeDasharray: look[letter].dash, strokeWidth: 2,
    }));
  const colour = (point) => look[point.treatment].color;
  const dot = { x: "day", y: "value", r: 4, fill: colour, title: (point) => point.unit };
  const chart = Plot.plot({
    className: "course-chart",
    width: Math.max(320, figure.clientWidth),
    height: 300,
    marginLeft: 48, marginBottom: 42,
    x: {
      label: "day of the trial",
      labelAnchor: "center",
      labelArrow: "none",
      ticks: [...new Set(data.points.map((point) => point.day))],
      tickFormat: (day) => String(day),
    },
    y: { label: data.label, labelArrow: "none", grid: true },
    marks: [...marks, Plot.dot(endPoints(data.points), dot)],
  });
  // The figure around it has the words.
  for (const part of chart.querySelectorAll("[aria-label]")) part.removeAttribute("aria-label");
  chart.setAttribute("aria-hidden", "true");
  figure.replaceChildren(chart);
}

drawCourses();
