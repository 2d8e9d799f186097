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
const CLOCK_SET = "This device’s clock was set meanwhile: the hours are put right when they are sent.";
const FINISHED_HERE = "Finished on this device. The computer hears of it as soon as the signal is back.";
const NOTE_TELLS = 500; // characters left from which on that is said
const UNDO_MS = 700; // a second tap within that time is the same one
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

// On which day what is typed now was read; it survives a reload, and ends with the day on which it was said.
const ReadOn = {
  key: (round) => `read-on:${round}`,
  kept({ round, today }) {
    try {
      const { on, said } = JSON.parse(localStorage.getItem(this.key(round)) ?? "{}");
      return said === today ? on : "";
    } catch {
      return "";
    }
  },
  keep({ round, today }, on) {
    try {
      if (on) localStorage.setItem(this.key(round), JSON.stringify({ on, said: today }));
      else localStorage.removeItem(this.key(round));
    } catch {
      // it holds until the page is loaded again
    }
  },
};

// The note of a round stays on the device while it is typed, until a page shows that the computer has it; left, it is
// sent as an entry.
function keepNote(field, round, send) {
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
  field.addEventListener("change", () => send(field));
  field.form.addEventListener("submit", () => {
    isHeld = false;
  });
  showLeft(field);
  field.addEventListener("input", () => showLeft(field));
  window.addEventListener("beforeunload", (event) => {
    if (!isHeld) return;
    event.preventDefault();
    event.returnValue = "";
  });
}

// How many characters a note still takes, once it is long.
function showLeft(field) {
  const left = field.maxLength - field.value.length;
  const said = document.getElementById("note-left");
  if (said) said.textContent = left < NOTE_TELLS ? `${left} characters left` : "";
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
