// The till: unit after unit in walking order, type, Enter, next.
"use strict";

const REASONS = ["Unit is lost", "Could not reach it", "Meter failed", "No time"];
const NUMBER = /^[+\-−]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$/;

function number(text) {
  const cleaned = text.replace(/[\s\u00a0]/g, "");
  return NUMBER.test(cleaned) ? Number(cleaned.replace(",", ".").replace("−", "-")) : NaN;
}

document.addEventListener("alpine:init", () => {
  const data = JSON.parse(document.getElementById("round-data").textContent);
  const stepsOf = (unit, asked) =>
    Array.from({ length: asked.perUnit }, (_, i) => ({
      unit,
      asked,
      replicate: i + 1,
      place: `${unit.code}:${asked.key}:${i + 1}`,
    }));
  const steps = data.units.flatMap((unit) => data.asked.flatMap((asked) => stepsOf(unit, asked)));
  const stepAt = (place) => steps.find((step) => step.place === place);
  const placeOf = (op) => `${op.unit}:${op.measure}:${op.replicate}`;
  const known = { ...data.saved }; // as the computer last told
  Keeper.here = data.round;

  Alpine.data("round", () => ({
    at: 0,
    typed: "",
    says: "",
    doubted: null,
    skipping: false,
    ownReason: "",
    showPrevious: false,
    readOn: "",
    saved: data.saved,
    stored: 0, // entries that the device keeps and the computer has not got
    storing: 0, // entries on their way into the device's store
    undoable: 0,
    trouble: "",
    safe: true,
    open: [],
    reasons: REASONS,
    ready: false,

    // A tag's code opens the till at its unit, while that has something open.
    tagged() {
      const at = steps.findIndex((step) => step.unit.code === data.start && !this.isAnswered(step));
      return at < 0 ? null : at;
    },

    async init() {
      const mine = (await Keeper.all()).filter((entry) => entry.op.round === data.round);
      for (const entry of mine.filter((each) => each.state === "waiting")) this.show(entry.op);
      document.addEventListener("entry-answered", ({ detail }) => this.hear(detail.entry, detail.answer));
      document.addEventListener("entry-decided", ({ detail }) => this.settled(detail.entry, detail.act));
      document.addEventListener("entries-changed", () => this.look());
      await this.look();
      this.at = this.tagged() ?? this.firstOpen();
      this.ready = true;
      this.enter();
    },
    // What the device holds of this round.
    async look() {
      const mine = (await Keeper.all()).filter((entry) => entry.op.round === data.round);
      this.stored = mine.filter((entry) => entry.state === "waiting").length;
      this.open = mine.filter((entry) => entry.state !== "waiting");
      this.undoable = (await Keeper.undoable(data.round)).length;
      this.trouble = Keeper.trouble;
      this.safe = Keeper.safe();
    },

    // What the page shows.
    get step() {
      return steps[Math.min(this.at, steps.length - 1)];
    },
    get asking() {
      return this.ready && steps.length > 0 && this.at < steps.length && !this.skipping && !this.deciding;
    },
    get total() {
      return Math.max(1, steps.length);
    },
    get answered() {
      return steps.filter((step) => this.isAnswered(step)).length;
    },
    get allIn() {
      return this.answered === steps.length;
    },
    get countText() {
      return `${this.answered} of ${steps.length}`;
    },
    get unitCode() {
      return this.step.unit.code;
    },
    get unitPlace() {
      const { block, crop, pull } = this.step.unit;
      return [block && `block ${block}`, crop, pull].filter(Boolean).join(" · ");
    },
    get measureName() {
      const { name, perUnit } = this.step.asked;
      return perUnit > 1 ? `${name}, ${this.step.replicate} of ${perUnit}` : name;
    },
    get measureHint() {
      return `${this.step.asked.low} to ${this.step.asked.high}`;
    },
    get measureUnit() {
      return this.step.asked.unit;
    },
    get mayBeNegative() {
      return this.step.asked.low < 0;
    },
    get levels() {
      return this.step.asked.levels;
    },
    get hasLevels() {
      return this.levels.length > 0;
    },
    get noPrevious() {
      return data.previousDay === null;
    },
    get previousText() {
      const before = data.previous[this.step.place];
      if (!before) return "Nothing on record from last time.";
      const unit = before.value === null ? "" : ` ${this.step.asked.unit}`;
      return `Day ${data.previousDay}: ${before.value === null ? before.skip : before.value}${unit}`;
    },
    get atStart() {
      return this.at === 0;
    },
    get atEnd() {
      return this.at >= steps.length;
    },
    get cannotUndo() {
      return this.undoable === 0;
    },
    get waiting() {
      return this.stored + this.storing;
    },
    get lineText() {
      const where = this.safe ? "safely on this device" : "in this page only: don’t close it";
      const count = this.waiting === 1 ? "1 reading waits" : `${this.waiting} readings wait`;
      if (this.waiting > 0 && (this.trouble || !this.safe)) return `${this.trouble} ${count} ${where}.`.trim();
      if (this.waiting > 0) return "Sending …";
      if (this.deciding) return "";
      return this.answered > 0 ? "All sent." : "";
    },
    get lineClass() {
      return this.waiting > 0 && (this.trouble || !this.safe) ? "is-waiting" : "";
    },
    get endTitle() {
      const open = steps.length - this.answered;
      return this.allIn ? "All in. Finish the round." : `${open} ${open === 1 ? "reading is" : "readings are"} open`;
    },
    get finishText() {
      return this.allIn ? "Finish round" : "Finish round as it is";
    },
    get finishClass() {
      return this.allIn ? "is-primary" : "";
    },
    get late() {
      return this.readOn !== "";
    },
    get dayText() {
      if (this.readOn) return `What you type now was read on ${this.readOn}.`;
      if (data.plannedOn === data.today) return "Typed from paper? Say when it was read.";
      return `Planned for ${data.plannedText}; it counts for today. Read on another day?`;
    },
    get latestDay() {
      return data.today;
    },

    // What has to be decided: conflicts, doubts, refusals, one after the other; they survive a reload.
    get deciding() {
      return this.open.length > 0;
    },
    get openTitle() {
      return this.deciding ? `${this.open[0].told.unit}: ${this.open[0].told.measure}` : "";
    },
    get openMine() {
      return this.deciding ? `You typed ${Keeper.wordedOp(this.open[0].op)}.` : "";
    },
    get openWhy() {
      return this.deciding ? Keeper.why(this.open[0]) : "";
    },
    get openWays() {
      return this.deciding ? Keeper.ways(this.open[0]) : [];
    },
    decide(way) {
      Keeper.decide(this.open[0], way.act);
    },
    settled(entry, act) {
      if (entry.op.round !== data.round) return;
      if (act === "drop") this.stands(placeOf(entry.op), entry.there);
      else if (act !== "file") this.show(entry.op);
      this.enter();
    },

    isAnswered(step) {
      const there = this.saved[step.place];
      return there !== undefined && (there.value !== null || there.skip !== "");
    },
    firstOpen() {
      const open = steps.findIndex((step) => !this.isAnswered(step));
      return open === -1 ? steps.length : open;
    },

    // Moving.
    enter() {
      this.says = "";
      this.doubted = null;
      this.showPrevious = false;
      const there = this.at < steps.length ? this.saved[this.step.place] : undefined;
      this.typed = there && there.value !== null ? String(there.value) : "";
      if (there && there.value === null && there.skip) this.says = `Skipped: ${there.skip}`;
      const shown = this.typed;
      this.$nextTick(() => this.focusOn(shown, 40));
    },
    // x-show uncovers the field by a timer of its own: try until it can take the focus.
    focusOn(shown, tries) {
      const field = this.$refs.typed;
      if (!this.asking || tries === 0) return;
      field.focus();
      if (document.activeElement !== field) setTimeout(() => this.focusOn(shown, tries - 1), 25);
      else if (shown && field.value === shown) field.select(); // never over a digit that was typed meanwhile
    },
    goTo(place) {
      this.at = Math.max(0, Math.min(steps.length, place));
      this.enter();
    },
    goBack() {
      this.goTo(this.at - 1);
    },
    goOn() {
      this.goTo(this.at + 1);
    },
    togglePrevious() {
      this.showPrevious = !this.showPrevious;
      this.$refs.typed.focus();
    },
    turnSign() {
      this.typed = this.typed.startsWith("-") ? this.typed.slice(1) : `-${this.typed}`;
      this.$refs.typed.focus();
    },

    // Typing. The question goes by the limits that the computer sent; the computer has the last word.
    keep() {
      const value = number(this.typed);
      const { low, high, least, most, whole, unit, name } = this.step.asked;
      if (Number.isNaN(value)) {
        const wrong = `“${this.typed}” is not a number; write it like 12.5 or 12,5.`;
        this.says = this.typed.trim() ? wrong : "Type a number, or skip.";
        return;
      }
      if (whole && !Number.isInteger(value)) {
        this.says = `${name} is a whole number.`;
        return;
      }
      if ((least !== null && value < least) || (most !== null && value > most)) {
        this.says = most === null ? `${name} is ${least} or more.` : `${name} goes from ${least} to ${most} ${unit}.`;
        return;
      }
      const odd = value < low || value > high;
      if (odd && this.doubted !== this.typed) {
        this.doubted = this.typed;
        this.says = `${value} is outside ${low} to ${high} ${unit}. Enter again if it is right.`;
        this.$refs.typed.select();
        return;
      }
      this.record(this.step, { typed: this.typed.trim(), skip: "", sure: odd });
      this.goOn();
    },
    startSkipping() {
      this.skipping = true;
      this.ownReason = "";
    },
    stopSkipping() {
      this.skipping = false;
      this.enter();
    },
    skipFor(reason) {
      if (!reason.trim()) return;
      this.skipping = false;
      this.record(this.step, { typed: "", skip: reason.trim(), sure: false });
      this.goOn();
    },
    async record(step, what) {
      this.storing += 1; // before anything else, so that nobody is told that all is sent
      const before = this.isAnswered(step) ? { ...this.saved[step.place] } : null;
      const op = this.opFor(step, what);
      this.show(op);
      await Keeper.remember({ round: data.round, place: step.place, before });
      await this.queue(step, op);
      this.storing -= 1;
    },
    opFor(step, what) {
      const there = this.saved[step.place];
      return {
        id: Keeper.newId(),
        trial: data.trial,
        round: data.round,
        unit: step.unit.code,
        measure: step.asked.key,
        replicate: step.replicate,
        at: this.readOn ? new Date(`${this.readOn}T12:00`).getTime() : Keeper.now(),
        seen: there ? there.version : 0,
        replaces: there ? there.id ?? "" : "",
        ...what,
      };
    },
    show(op) {
      const version = this.saved[placeOf(op)]?.version ?? 0;
      const value = op.undo || !op.typed ? null : op.typed;
      this.saved[placeOf(op)] = { value, skip: op.undo ? "" : op.skip, version, by: data.who, id: op.id };
    },
    async queue(step, op) {
      const reading = step.asked.perUnit > 1 ? `, ${step.replicate}` : "";
      const measure = step.asked.name;
      const told = { trial: data.trialName, round: data.roundName, day: data.day, unit: op.unit, measure };
      await Keeper.add(op, { ...told, title: `${op.unit}: ${measure}${reading}` });
      await this.look();
      Keeper.send();
    },
    async undo() {
      const last = (await Keeper.undoable(data.round)).pop();
      if (!last) return;
      await Keeper.forget(last);
      const step = stepAt(last.place);
      if (step) {
        const back = last.before && { typed: String(last.before.value ?? ""), skip: last.before.skip, sure: true };
        const op = this.opFor(step, back ?? { typed: "", skip: "", undo: true });
        this.storing += 1;
        this.show(op);
        this.goTo(steps.indexOf(step));
        await this.queue(step, op);
        this.storing -= 1;
      }
      await this.look();
    },

    // Answers.
    hear(entry, answer) {
      if (entry.op.round !== data.round) return;
      const place = placeOf(entry.op);
      const shown = this.saved[place];
      if (answer.there) known[place] = answer.there;
      if (answer.status !== "saved") this.stands(place, answer.there);
      else if (shown?.id === entry.op.id && answer.there) this.saved[place] = { ...answer.there, id: entry.op.id };
    },
    // What the computer has in a place, as far as we know, is shown again.
    stands(place, there) {
      const standing = there ?? known[place];
      if (standing) this.saved[place] = { ...standing };
      else delete this.saved[place];
    },
    async beforeFinish(event) {
      if (this.waiting === 0 && !this.deciding) return;
      event.preventDefault();
      const form = event.target;
      await Keeper.send();
      await this.look();
      if (this.waiting === 0 && !this.deciding) form.submit();
      else this.says = "Finish when the connection is back; what you typed is kept.";
    },
  }));
});
