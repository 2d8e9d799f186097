// A round without a page: its steps, what may be typed, what an answer changes, and what is said of what waits.
"use strict";

const RoundState = {
  // --- Steps: who is read, what, and when again.
  placeFor(code, key, number, again) {
    return `${code}:${key}:${number}${again ? ":again" : ""}`;
  },
  placeOf(op) {
    return this.placeFor(op.unit, op.measure, op.replicate, op.again);
  },
  stepsOf(unit, asked, again) {
    return Array.from({ length: asked.perUnit }, (_, i) => ({
      unit,
      asked,
      again,
      replicate: i + 1,
      place: this.placeFor(unit.code, asked.key, i + 1, again),
    }));
  },
  // One picture gives all that is read off it.
  shotsIn(data) {
    return data.asked.filter((asked) => asked.kind === "photo");
  },
  // One unit after the other with all that is asked, or one measure after the other through all units.
  laid(data, { order, by }) {
    const shuffled = () => data.shuffled.map((code) => data.units.find((unit) => unit.code === code));
    const units = order === "shuffle" ? shuffled() : data.units;
    const pairs =
      by === "measure"
        ? data.asked.flatMap((asked) => units.map((unit) => [unit, asked]))
        : units.flatMap((unit) => data.asked.map((asked) => [unit, asked]));
    const isOver = (unit, asked) => data.over.includes(`${unit.code}:${asked.key}`); // it has happened: no more to ask
    const sameShots = this.shotsIn(data).slice(1);
    const open = pairs.filter(([unit, asked]) => !isOver(unit, asked) && !sameShots.includes(asked));
    const steps = open.flatMap(([unit, asked]) => this.stepsOf(unit, asked, data.second));
    return data.second ? steps : data.again.reduce((laid, asked) => this.withAgain(laid, asked), steps);
  },
  // What is asked again comes some units later, or after the last one, and says nothing of it.
  withAgain(steps, asked) {
    const [code, key] = asked.split(":");
    const from = steps.findLastIndex((step) => step.unit.code === code && step.asked.key === key);
    if (from < 0) return steps;
    const seen = new Set();
    const isLater = (step, at) => at > from && !step.again && seen.add(step.unit.code).size > UNITS_LATER;
    const after = steps.findIndex(isLater);
    const [first] = this.stepsOf(steps[from].unit, steps[from].asked, true);
    const place = after < 0 ? steps.length : after;
    return [...steps.slice(0, place), first, ...steps.slice(place)];
  },

  // --- Limits, as the computer sent them (`limits` of core/trial/readings.py); it has the last word.
  // What is wrong with a number, or odd about it; `doubted` was asked about already. A number with another unit than
  // the one asked is left to the computer.
  checked({ least, most, low, high, whole, unit, possible }, typed, doubted) {
    const text = typed.trim();
    const bare = unit && text.endsWith(unit) ? text.slice(0, -unit.length) : text;
    const value = number(bare);
    if (Number.isNaN(value)) {
      if (WITH_UNIT.test(text)) return { says: "", isOdd: false, sure: false };
      const wrong = `“${typed}” is not a number; write it like 12.5 or 12,5.`;
      return { says: text ? wrong : "Type a number, or skip.", isOdd: false, sure: false };
    }
    const isPossible = (least === null || value >= least) && (most === null || value <= most);
    if (!isPossible || (whole && !Number.isInteger(value))) {
      return { says: `${value} doesn’t fit: ${possible}.`, isOdd: false, sure: false };
    }
    const sure = value < low || value > high;
    const isOdd = sure && doubted !== typed;
    const outside = `${value} is outside ${low} to ${high} ${unit}`.trim();
    return { says: isOdd ? `${outside}. Enter again if it is right.` : "", isOdd, sure };
  },

  // --- What is worked out of inputs.
  waysOf(asked) {
    return [...new Set(asked.inputs.map((input) => input.way).filter(Boolean))];
  },
  inputsOf(asked, way) {
    return asked.inputs
      .filter((input) => !input.way || input.way === way)
      .map((input) => ({
        ...input,
        id: `in-${input.name}`,
        label: input.unit ? `${input.asks}, ${input.unit}` : input.asks,
        hint: input.many ? "one after the other: 420 432 444" : input.usual === null ? "" : `usually ${input.usual}`,
      }));
  },
  missingOf(inputs, given) {
    return inputs.find((input) => !input.spare && input.usual === null && !given[input.name]?.trim());
  },
  // “name=value name=value;value”, each with the unit that stood beside it where that is not the usual one.
  inputText(inputs, given) {
    const unit = (input, text) => (input.bears && /\d$/.test(text) ? input.bears.replaceAll(" ", "_") : "");
    const several = (text) => text.replace(/,\s+/g, ";").replace(/[;\s]+/g, ";");
    const clean = (input, text) => (input.many ? several(text) : text.replace(/\s+/g, ""));
    const typed = inputs.map((input) => [input, (given[input.name] ?? "").trim()]).filter(([, text]) => text);
    return typed.map(([input, text]) => `${input.name}=${clean(input, text + unit(input, text))}`).join(" ");
  },
  givenIn(text) {
    const parts = text.split(" ").filter(Boolean).map((part) => part.split("="));
    return Object.fromEntries(parts.map(([name, value]) => [name, value.replace(/;/g, " ")]));
  },
  sumOf(inputs, given) {
    return inputs.reduce((sum, input) => sum + (number(given[input.name] ?? "") || 0), 0);
  },

  // --- Answers: what stands in a place.
  isFilled(reading) {
    return reading !== undefined && (reading.value !== null || reading.skip !== "");
  },
  firstOpen(steps, isAnswered) {
    const open = steps.findIndex((step) => !isAnswered(step));
    return open === -1 ? steps.length : open;
  },
  readingOf(op, before, who) {
    const value = op.undo || !op.typed ? null : op.typed;
    const inputs = value?.includes("=") ? value : "";
    return { value, skip: op.undo ? "" : op.skip, version: before?.version ?? 0, by: who, id: op.id, inputs };
  },
  // What is typed back into a place that held `before`; nothing was there: it is taken back.
  undoing(before) {
    if (!before) return { typed: "", skip: "", undo: true };
    return { typed: before.inputs || String(before.value ?? ""), skip: before.skip, sure: true };
  },
  isNewer(there, known) {
    return there.version > (known?.version ?? 0);
  },
  // After an answer: what is shown in its place, by what was shown and what the computer has; undefined: nothing.
  standing(shown, known, entry, answer) {
    if (answer.status !== "saved") return answer.there ?? known;
    return shown?.id === entry.op.id && answer.there ? { ...answer.there, id: entry.op.id } : shown;
  },

  // --- What waits, in words.
  isHeldUp({ hidden, waiting, trouble, safe }) {
    return hidden !== "" || (waiting > 0 && (trouble !== "" || !safe));
  },
  // “2 readings wait”, “what you said of the round waits”.
  countText({ waiting, words = 0 }) {
    const readings = waiting - words;
    const parts = [];
    if (readings > 0) parts.push(readings === 1 ? "1 reading" : `${readings} readings`);
    if (words > 0) parts.push("what you said of the round");
    return `${parts.join(" and ")} ${readings > 1 || parts.length > 1 ? "wait" : "waits"}`;
  },
  lineText(round) {
    const { hidden, waiting, trouble, where, underWay, deciding, ready, answered, seen, clockSet } = round;
    if (this.isHeldUp(round)) {
      const waits = waiting > 0 ? `${trouble} ${this.countText(round)} ${where}.` : "";
      const clock = clockSet ? CLOCK_SET : "";
      return [hidden, waits.trim(), clock].filter(Boolean).join(" ");
    }
    if (underWay > 0) return "Keeping it on this device …";
    if (waiting > 0) return "Sending …";
    if (deciding || !ready) return ""; // not before it is known what the device still holds
    return answered > 0 ? `All sent. ${seen}`.trim() : "";
  },
  // Without signal the round can be finished on the device, by whoever may: a helper's link has no note.
  mayFinishHere({ deciding, hidden, trouble }, form) {
    return !deciding && hidden === "" && trouble !== "" && Boolean(form.elements.note);
  },
  whyOpen({ deciding, openTitle, hidden }) {
    if (deciding) return `Decide about ${openTitle} first.`;
    return hidden || "Finish when the connection is back; what you typed is kept.";
  },
};
