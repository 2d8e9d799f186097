// What the till stands on: numbers and answers by a tap, how this device likes to go, pictures made small.
"use strict";

const REASONS = ["Unit is lost", "Could not reach it", "Meter failed", "No time"];
const NUMBER = /^[+\-−]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$/;
const WITH_UNIT = /^[+\-−]?[\d.,]+\s*[^\d\s.,]+$/; // “5 cm”, “12.7cm”

function number(text) {
  const cleaned = text.replace(/[\s\u00a0]/g, "");
  return NUMBER.test(cleaned) ? Number(cleaned.replace(",", ".").replace("−", "-")) : NaN;
}

// How this device likes to go through a round.
function remembered() {
  try {
    return JSON.parse(localStorage.getItem("round-ways") ?? "{}");
  } catch {
    return {};
  }
}

const TAPS = {
  "yes or no": [
    { words: "Yes", typed: "1" },
    { words: "No", typed: "0" },
  ],
  day: [
    { words: "It has happened", typed: "1" },
    { words: "Not yet", typed: "0" },
  ],
};

const UNITS_LATER = 4; // nobody remembers the number by then
const LONGEST_SIDE = 1600; // pixels of a picture that is kept

// A picture as small as it is kept, upright; one that this browser can't read goes as it is.
async function small(blob) {
  try {
    const picture = await createImageBitmap(blob);
    const factor = Math.min(1, LONGEST_SIDE / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [picture.width, picture.height].map((side) => Math.round(side * factor));
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    return (await new Promise((done) => canvas.toBlob(done, "image/jpeg", 0.9))) ?? blob;
  } catch {
    return blob;
  }
}

// The note of a round stays on the device while it is typed, until a page shows that the computer has it.
function keepNote(field, round) {
  if (!field) return;
  const kept = `note:${round}`;
  const base = field.defaultValue;
  let isHeld = false; // no room on the device: the page asks before it is closed
  field.value = noteWith(base, kept);
  field.addEventListener("input", () => {
    try {
      localStorage.setItem(kept, JSON.stringify({ text: field.value, base }));
      isHeld = false;
    } catch {
      isHeld = true;
    }
  });
  field.form.addEventListener("submit", () => {
    isHeld = false;
  });
  window.addEventListener("beforeunload", (event) => {
    if (!isHeld) return;
    event.preventDefault();
    event.returnValue = "";
  });
}

// The computer's note, and what was typed here and is not in it: over the note that it began from, else below.
function noteWith(base, kept) {
  try {
    const typed = JSON.parse(localStorage.getItem(kept));
    if (!typed || typed.text === base || (typed.text && base.includes(typed.text))) {
      localStorage.removeItem(kept);
      return base;
    }
    return typed.base === base ? typed.text : `${base}\n${typed.text}`;
  } catch {
    return base;
  }
}
