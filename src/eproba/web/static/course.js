// Each unit's course over the days, the mean of each treatment, and the rain below; drawn with Observable Plot.
"use strict";

const LINES = {
  "water control": { color: "--line-control", dash: "5 4" },
  untreated: { color: "--line-control", dash: "1 4" },
};
const TESTED = 7; // colours, as in pictures/patterns.svg
const FOOT = 0.16; // of the height, for rain

function looks(treatments) {
  let tested = 0;
  const look = { "": { color: "--ink", dash: "none" } };
  for (const each of treatments) {
    look[each.letter] = LINES[each.role] ?? { color: `--line-${(tested++ % TESTED) + 1}`, dash: "none" };
  }
  return look;
}

function lastOf(points, key) {
  const last = new Map();
  for (const point of points) last.set(point[key], point);
  return [...last.values()];
}

// Names beside the ends of their lines, pushed apart where two would lie on each other.
function named(means, treatments, height, low, high) {
  const names = new Map(treatments.map((each) => [each.letter, each.name]));
  const ends = lastOf(means, "treatment").toSorted((one, two) => one.value - two.value);
  const least = ((high - low) * 19) / height;
  let below = -Infinity;
  return ends.map((end) => {
    below = Math.max(end.value, below + least);
    return { ...end, at: below, name: `${end.treatment} ${names.get(end.treatment)}` };
  });
}

// Rain hangs in the foot of the picture, below all values.
function rainMarks(rain, low, high) {
  const most = Math.max(...rain.map((day) => day.mm), 5);
  const foot = low - (high - low) * FOOT;
  const bars = rain.map((day) => ({ ...day, top: foot + ((low - foot) * 0.8 * day.mm) / most, foot }));
  const shape = { x: "day", y1: "foot", y2: "top", stroke: "var(--sky)", strokeWidth: 7 };
  return [foot, bars.length > 0 ? [Plot.ruleX(bars, shape)] : []];
}

function drawCourses() {
  const data = JSON.parse(document.getElementById("course-data").textContent);
  const figure = document.getElementById("course-chart");
  if (!figure || data.points.length === 0) return;
  const look = looks(data.treatments);
  const isNarrow = figure.clientWidth < 600;
  const colour = (point) => `var(${look[point.treatment].color})`;
  const values = data.points.map((point) => point.value);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const height = 320;
  const [foot, rain] = rainMarks(data.rain, low, high > low ? high : low + 1);
  const isSealed = data.treatments.length === 0;
  const pale = { x: "day", y: "value", z: "unit", strokeWidth: 1.2, strokeOpacity: isSealed ? 0.8 : 0.35 };
  const letters = [...new Set(data.points.map((point) => point.treatment))];
  const of = (points, letter) => points.filter((point) => point.treatment === letter);
  const lines = (points, style) => letters.map((letter) =>
    Plot.lineY(of(points, letter), {
      ...style, stroke: `var(${look[letter].color})`, strokeDasharray: look[letter].dash,
    }));
  const ends = named(data.means, data.treatments, height - 70, low, high);
  const name = {
    x: "day", y: "at", text: (end) => (isNarrow ? end.treatment : end.name), textAnchor: "start", dx: 9, fontSize: 14,
    fontWeight: 700, fill: colour,
  };
  const chart = Plot.plot({
    className: "course-chart",
    width: Math.max(300, figure.clientWidth),
    height,
    style: { fontSize: "13px" },
    marginLeft: 48, marginBottom: 42, marginRight: isSealed ? 20 : isNarrow ? 34 : 190,
    x: {
      label: "day of the trial",
      labelAnchor: "center",
      labelArrow: "none",
      ticks: [...new Set(data.points.map((point) => point.day))],
      tickFormat: (day) => String(day),
    },
    y: { label: data.label, labelArrow: "none", grid: true, domain: [foot, high] },
    marks: [
      ...rain,
      Plot.ruleX([data.decides], { stroke: "var(--now)", strokeWidth: 2, strokeDasharray: "5 4" }),
      ...lines(data.points, pale),
      Plot.dot(lastOf(data.points, "unit"), {
        x: "day", y: "value", r: 2.5, fill: colour, fillOpacity: 0.5, title: (point) => point.unit,
      }),
      ...lines(data.means, { x: "day", y: "value", strokeWidth: 4.5 }),
      ...(isSealed ? [] : [Plot.text(ends, name)]),
    ],
  });
  // The figure around it has the words.
  for (const part of chart.querySelectorAll("[aria-label]")) part.removeAttribute("aria-label");
  chart.setAttribute("aria-hidden", "true");
  figure.replaceChildren(chart);
}

drawCourses();
