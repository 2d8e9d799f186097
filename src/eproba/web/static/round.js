// The till: unit after unit in walking order, type, Enter, next.
"use strict";

const RETRY_MS = 4000;
const REASONS = ["Unit is lost", "Could not reach it", "Meter failed", "No time"];

function number(text) {
  const cleaned = text.trim().replace(",", ".").replace("−", "-");
  return /^[+-]?(\d+\.?\d*|\.\d+)$/.test(cleaned) ? Number(cleaned) : NaN;
}

document.addEventListener("alpine:init", () => {
  const data = JSON.parse(document.getElementById("round-data").textContent);
  const steps = data.units.flatMap((unit) =>
    data.asked.flatMap((asked) =>
      Array.from({ length: asked.perUnit }, (_, i) => ({ unit, asked, replicate: i + 1, place: `${unit.id}:${asked.key}:${i + 1}` }))));

  Alpine.data("round", () => ({
    at: 0, typed: "", says: "", doubted: null, skipping: false, ownReason: "", showPrevious: false,
    saved: data.saved, history: [], waiting: 0, trouble: "", conflicts: [], reasons: REASONS, kept: true, ready: false,

    // A tag's code opens the till at its unit, while that has something open.
    tagged() {
      const at = steps.findIndex((step) => step.unit.id === data.start && !this.isAnswered(step));
      return at < 0 ? null : at;
    },

    async init() {
      this.kept = await Keeper.open();
      const waiting = await Keeper.waiting(data.urls.save);
      for (const entry of waiting) this.show(entry.op);
      this.waiting = waiting.length;
      this.at = this.tagged() ?? this.firstOpen();
      this.ready = true;
      this.enter();
      window.addEventListener("online", () => this.send());
      document.addEventListener("visibilitychange", () => this.send());
      setInterval(() => this.send(), RETRY_MS);
      this.send();
    },

    // What the page shows.
    get step() { return steps[Math.min(this.at, steps.length - 1)]; },
    get asking() { return this.ready && steps.length > 0 && this.at < steps.length && !this.skipping && !this.conflicted; },
    get total() { return Math.max(1, steps.length); },
    get answered() { return steps.filter((step) => this.isAnswered(step)).length; },
    get countText() { return `${this.answered} of ${steps.length}`; },
    get unitCode() { return this.step.unit.code; },
    get unitPlace() {
      const { block, crop, pull } = this.step.unit;
      return [block && `block ${block}`, crop, pull].filter(Boolean).join(" · ");
    },
    get measureName() { return this.step.asked.perUnit > 1 ? `${this.step.asked.name}, ${this.step.replicate} of ${this.step.asked.perUnit}` : this.step.asked.name; },
    get measureHint() { return `${this.step.asked.low} to ${this.step.asked.high}`; },
    get measureUnit() { return this.step.asked.unit; },
    get mayBeNegative() { return this.step.asked.low < 0; },
    get levels() { return this.step.asked.levels; },
    get hasLevels() { return this.levels.length > 0; },
    get noPrevious() { return data.previousDay === null; },
    get previousText() {
      const before = data.previous[this.step.place];
      if (!before) return "Nothing on record from last time.";
      return `Day ${data.previousDay}: ${before.value === null ? before.skip : `${before.value} ${this.step.asked.unit}`}`;
    },
    get atStart() { return this.at === 0; },
    get atEnd() { return this.at >= steps.length; },
    get cannotUndo() { return this.history.length === 0; },
    get lineText() {
      if (this.trouble) return `${this.trouble} ${this.waiting === 1 ? "1 reading waits" : `${this.waiting} readings wait`} ${this.kept ? "safely on this device" : "in this page: don’t close it"}.`;
      return this.waiting > 0 ? "Sending …" : this.answered > 0 ? "All sent." : "";
    },
    get lineClass() { return this.trouble ? "is-waiting" : ""; },
    get endTitle() { return this.answered === steps.length ? "All in. Finish the round." : `${steps.length - this.answered} readings are open`; },
    get finishText() { return this.answered === steps.length ? "Finish round" : "Finish round as it is"; },
    get finishClass() { return this.answered === steps.length ? "is-primary" : ""; },
    get conflicted() { return this.conflicts.length > 0; },
    get conflict() { return this.conflicts[0]; },
    get conflictTitle() {
      if (!this.conflicted) return "";
      const step = steps.find((each) => each.place === this.placeOf(this.conflict.op));
      return `${step.unit.code}: ${step.asked.name}`;
    },
    get theirsText() { return this.conflicted ? `${this.conflict.there.by || "The other device"}: ${this.worded(this.conflict.there)}` : ""; },
    get mineText() { return this.conflicted ? `Mine: ${this.worded(this.conflict.op)}` : ""; },

    worded(reading) { return reading.value === null ? `skipped (${reading.skip})` : String(reading.value); },
    placeOf(op) { return `${op.unit}:${op.measure}:${op.replicate}`; },
    isAnswered(step) { return this.saved[step.place] !== undefined; },
    firstOpen() { const open = steps.findIndex((step) => !this.isAnswered(step)); return open === -1 ? steps.length : open; },

    // Moving.
    enter() {
      this.says = "";
      this.doubted = null;
      this.showPrevious = false;
      const there = this.at < steps.length ? this.saved[this.step.place] : undefined;
      this.typed = there && there.value !== null ? String(there.value) : "";
      if (there && there.value === null) this.says = `Skipped: ${there.skip}`;
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
    goTo(place) { this.at = Math.max(0, Math.min(steps.length, place)); this.enter(); },
    goBack() { this.goTo(this.at - 1); },
    goOn() { this.goTo(this.at + 1); },
    togglePrevious() { this.showPrevious = !this.showPrevious; this.$refs.typed.focus(); },
    turnSign() { this.typed = this.typed.startsWith("-") ? this.typed.slice(1) : `-${this.typed}`; this.$refs.typed.focus(); },

    // Typing.
    keep() {
      const value = number(this.typed);
      const { low, high, unit } = this.step.asked;
      if (Number.isNaN(value)) {
        this.says = this.typed.trim() ? `“${this.typed}” is not a number; write it like 12.5 or 12,5.` : "Type a number, or skip.";
        return;
      }
      if ((value < low || value > high) && this.doubted !== this.typed) {
        this.doubted = this.typed;
        this.says = `${value} is outside ${low} to ${high} ${unit}. Enter again if it is right.`;
        this.$refs.typed.select();
        return;
      }
      this.record({ value, skip: "" });
      this.goOn();
    },
    startSkipping() { this.skipping = true; this.ownReason = ""; },
    stopSkipping() { this.skipping = false; this.enter(); },
    skipFor(reason) {
      if (!reason.trim()) return;
      this.skipping = false;
      this.record({ value: null, skip: reason.trim() });
      this.goOn();
    },
    async record({ value, skip }, step = this.step, remember = true) {
      const before = this.saved[step.place];
      const op = {
        id: Keeper.newId(), unit: step.unit.id, measure: step.asked.key, replicate: step.replicate,
        value, skip, seen: before ? before.version : 0, replaces: before ? before.id ?? "" : "",
      };
      if (remember) this.history.push({ step, before, id: op.id });
      this.show(op);
      await this.queue(op);
    },
    show(op) {
      if (op.undo) return;
      const before = this.saved[this.placeOf(op)];
      this.saved[this.placeOf(op)] = { value: op.value, skip: op.skip, version: before ? before.version : 0, by: data.who, id: op.id };
    },
    async undo() {
      const last = this.history.pop();
      if (!last) return;
      this.goTo(steps.indexOf(last.step));
      if (last.before) {
        this.record(last.before, last.step, false);
      } else {
        delete this.saved[last.step.place];
        this.queue({ id: last.id, undo: true });
      }
      this.enter();
    },

    // Keeping and sending.
    async queue(op) {
      this.waiting += 1;
      await Keeper.add({ url: data.urls.save, op });
      this.send();
    },
    async send() {
      if (Keeper.sending) return;
      Keeper.sending = true;
      try {
        for (const answer of await Keeper.send(data.urls.save, data.urls.token)) this.hear(answer);
        this.trouble = "";
      } catch (error) {
        this.trouble = error.status === 401 ? "This device must come in again (reload the page)." : error.status >= 500 ? "The computer is not answering." : "No connection.";
      }
      Keeper.sending = false;
      this.waiting = (await Keeper.waiting(data.urls.save)).length;
      if (this.waiting > 0 && !this.trouble) this.send();
    },
    // Wait for what is on its way, then send the rest.
    async settle() {
      while (Keeper.sending) await new Promise((resolve) => setTimeout(resolve, 50));
      await this.send();
    },
    hear(answer) {
      const place = answer.op.undo ? null : this.placeOf(answer.op);
      if (answer.status === "conflict") this.conflicts.push(answer);
      else if (answer.status === "refused") { delete this.saved[place]; this.says = answer.why; }
      else if (answer.status === "saved" && this.saved[place]) this.saved[place].version = answer.there.version;
    },
    keepTheirs() {
      const { op, there } = this.conflicts.shift();
      this.saved[this.placeOf(op)] = there;
      this.enter();
    },
    keepMine() {
      const { op, there } = this.conflicts.shift();
      this.saved[this.placeOf(op)] = { ...there };
      this.record(op, steps.find((step) => step.place === this.placeOf(op)), false);
      this.enter();
    },
    async beforeFinish(event) {
      if (this.waiting === 0) return;
      event.preventDefault();
      const form = event.target;
      await this.settle();
      if (this.waiting === 0) form.submit();
      else this.says = "Finish when the connection is back; what you typed is kept.";
    },
  }));
});
