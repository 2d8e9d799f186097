// The till: unit after unit in walking order, type, Enter, next.
"use strict";

document.addEventListener("alpine:init", () => {
  const data = JSON.parse(document.getElementById("round-data").textContent);
  const shots = RoundState.shotsIn(data);
  const wished = { order: "walk", by: "unit", ...remembered() };
  let steps = RoundState.laid(data, wished);
  const stepAt = (place) => steps.find((step) => step.place === place);
  const placeOf = (op) => RoundState.placeOf(op);
  for (const [place, there] of Object.entries(data.repeated)) data.saved[`${place}:again`] = there;
  const known = { ...data.saved }; // as the computer last told
  Keeper.here = data.round;

  Alpine.data("round", () => ({
    at: 0,
    typed: "",
    says: "",
    endSays: "", // why the round can't be finished yet
    doubted: null,
    skipping: false,
    ownReason: "",
    showPrevious: false,
    readOn: ReadOn.kept(data),
    undoing: false,
    finished: false, // on this device, without signal
    words: 0, // of what waits: words of the whole round
    clockSet: false,
    saved: data.saved,
    stored: 0, // entries that the device keeps and the computer has not got
    storing: {}, // how many entries of a place are on their way into the device's store
    asked: 0, // how often the device was looked through
    looked: 0, // which of these looks is shown
    undoable: 0,
    trouble: "",
    safe: true,
    where: "", // it waits
    hidden: "", // what the device's store hides
    open: [],
    reasons: REASONS,
    order: wished.order,
    by: wished.by,
    laid: 1,
    showHow: false,
    given: {}, // inputs of a calculator by name
    way: "",
    reckoned: "",
    pictured: Object.fromEntries(data.pictured.map((code) => [code, true])),
    seen: "", // what the last picture gave
    meter: "", // what gave the value in the field
    ready: false,
    wasTold: false, // that the store does not answer, when the round was to be finished

    // A tag's code opens the till at its unit, while that has something open.
    tagged() {
      const at = steps.findIndex((step) => step.unit.code === data.start && !this.isAnswered(step));
      return at < 0 ? null : at;
    },

    async init() {
      this.$watch("readOn", (on) => ReadOn.keep(data, on));
      keepNote(document.getElementById("round-note"), data.round, (field) => this.sayNote(field));
      const mine = (await Keeper.all()).filter((entry) => entry.op.round === data.round);
      this.catchUp();
      const waits = mine.filter((each) => each.state === "waiting");
      for (const entry of waits) if (entry.op.unit) this.show(entry.op);
      this.finished = waits.some((entry) => entry.op.finished);
      document.addEventListener("entry-answered", ({ detail }) => this.hear(detail.entry, detail.answer));
      document.addEventListener("entry-decided", ({ detail }) => this.settled(detail.entry, detail.act));
      document.addEventListener("entries-changed", () => this.look());
      document.addEventListener("picture-answered", ({ detail }) => {
        if (detail.picture.round !== data.round) return;
        this.seen = detail.kept ? detail.said : ""; // why it was not kept stands where that is decided
        if (detail.unit !== detail.picture.unit) delete this.pictured[detail.picture.unit]; // still to be taken
        if (detail.unit) this.pictured[detail.unit] = true;
      });
      window.addEventListener("pageshow", ({ persisted }) => persisted && this.comeBack());
      for (const shot of await this.film()) if (shot.state === "waiting") this.pictured[shot.unit] = true;
      await this.look();
      this.at = this.tagged() ?? this.firstOpen();
      this.ready = true;
      this.enter();
    },
    // What was taken while this page was being made, or before it could listen.
    catchUp() {
      for (const { op, there } of Keeper.taken().filter((each) => each.op.round === data.round)) {
        const place = placeOf(op);
        if (!RoundState.isNewer(there, known[place])) continue;
        known[place] = there;
        this.saved[place] = { ...there, id: op.id };
      }
    },
    // Out of the browser's cache, as it was left: what other pages did meanwhile is looked up.
    async comeBack() {
      this.catchUp();
      await this.look();
      this.focusOn("", 40);
    },
    // What the device holds of this round; the answer to a later question stands.
    async look() {
      this.asked += 1;
      const mine = this.asked;
      const entries = (await Keeper.all()).filter((entry) => entry.op.round === data.round);
      const film = await this.film();
      const undoable = (await Keeper.undoable(data.round)).length;
      if (mine < this.looked) return;
      this.looked = mine;
      const held = [...entries, ...film];
      this.stored = held.filter((each) => each.state === "waiting").length;
      this.words = entries.filter((entry) => entry.state === "waiting" && !entry.op.unit).length;
      this.clockSet = Keeper.isClockSet;
      this.open = held.filter((each) => each.state !== "waiting");
      this.undoable = undoable;
      this.trouble = Keeper.trouble;
      this.safe = Device.isSafe;
      this.where = Keeper.where;
      this.hidden = Device.words;
    },

    async film() {
      return (await Keeper.pictures()).filter((picture) => picture.round === data.round);
    },

    // What the page shows.
    get step() {
      return this.laid && steps[Math.min(this.at, steps.length - 1)]; // laid anew: shown anew
    },
    get asking() {
      return this.ready && steps.length > 0 && this.at < steps.length && !this.skipping && !this.deciding;
    },
    // The way back stays, also after the last.
    get hasKeys() {
      return this.ready && steps.length > 0 && !this.skipping && !this.deciding;
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
      return this.hasChoices || this.isWorked || this.isShot ? "" : `${this.step.asked.low} to ${this.step.asked.high}`;
    },
    get measureUnit() {
      return this.step.asked.unit;
    },
    get mayBeNegative() {
      return this.step.asked.low < 0;
    },
    // A level, a class, a yes or a day is one tap.
    get choices() {
      const { levels, kind, low } = this.step.asked;
      if (levels.length) return levels.map((words, n) => ({ words: `${low + n} ${words}`, typed: String(low + n) }));
      return TAPS[kind] ?? [];
    },
    get hasChoices() {
      return this.choices.length > 0;
    },
    choose(choice) {
      this.typed = choice.typed;
      this.keep();
    },
    // Keys of one figure choose too; Enter alone chooses nothing, so that one pressed twice does no harm.
    pressChoice(event) {
      const choice = this.choices.find((each) => each.typed === event.key);
      if (choice) this.choose(choice);
    },
    choiceLook(choice) {
      return this.typed === choice.typed ? "is-chosen" : "";
    },
    get isTyped() {
      return !this.isWorked && !this.isTapped && !this.isShot;
    },
    // A picture is taken; its numbers are read off it, and somebody says yes to them.
    get isShot() {
      return this.step.asked.kind === "photo";
    },
    get hasCamera() {
      return data.camera !== "";
    },
    get shotText() {
      return this.pictured[this.unitCode] ? "Take another picture" : "Take a picture";
    },
    async shoot(event) {
      const [file] = event.target.files;
      if (file) await this.develop(file);
      event.target.value = "";
    },
    async simulate() {
      try {
        await this.develop(await (await fetch(`${data.camera}?unit=${this.unitCode}&on=${this.readOn}`)).blob());
      } catch {
        this.says = "No signal: the simulated camera stands on the computer.";
      }
    },
    async develop(blob) {
      const unit = this.unitCode;
      const of = { to: data.photos, unit, round: data.round, trialName: data.trialName };
      const shot = { ...of, taken: Math.round(Keeper.now()), on: this.readOn };
      await this.whileStoring(`${unit}:picture`, async () => Keeper.addPicture(shot, await small(blob)));
      this.pictured[unit] = true;
      this.goOn();
      Keeper.send();
    },
    // No field where a tap says it all, and no keypad over the buttons of a phone.
    get isTapped() {
      return this.step.asked.kind in TAPS || (this.hasChoices && matchMedia("(pointer: coarse)").matches);
    },
    // What is worked out asks its inputs one by one.
    get isWorked() {
      return this.step.asked.inputs.length > 0;
    },
    get ways() {
      return RoundState.waysOf(this.step.asked);
    },
    get hasWays() {
      return this.ways.length > 1;
    },
    wayText(way) {
      return this.step.asked.inputs.filter((each) => each.way === way).map((each) => each.asks).join(", ");
    },
    get inputs() {
      return RoundState.inputsOf(this.step.asked, this.way || this.ways[0] || "");
    },
    typedFor(each) {
      return this.given[each.name] ?? "";
    },
    give(event) {
      this.given[event.target.dataset.name] = event.target.value;
    },
    get inputText() {
      return RoundState.inputText(this.inputs, this.given);
    },
    nextInput(event) {
      const fields = [...document.querySelectorAll(".till-inputs .input")];
      const next = fields[fields.indexOf(event.target) + 1];
      if (next) next.focus();
      else this.keep();
    },
    // What they give is worked out by the computer, in one place; without signal it is told when it is sent.
    async work() {
      const inputs = this.inputText;
      if (this.step.asked.counted) {
        this.reckoned = `In all ${RoundState.sumOf(this.inputs, this.given)} ${this.step.asked.unit}.`;
        return;
      }
      this.reckoned = "";
      if (this.missing) return;
      try {
        const asked = new URLSearchParams({ measure: this.step.asked.key, inputs });
        const told = await (await fetch(`${data.reckon}?${asked}`, { headers: { Accept: "application/json" } })).json();
        if (inputs === this.inputText) this.reckoned = [told.value, ...told.said].filter(Boolean).join(" ");
      } catch {
        this.reckoned = "No signal: worked out when it is sent.";
      }
    },
    // A meter fills the field, or the inputs that it fits; what it gave stays to be corrected.
    get meters() {
      const runs = (meter) => (meter.run?.length ? [{ meter }] : []);
      const fills = (meter) => [...meter.fields.map((field) => ({ meter, field })), ...runs(meter)];
      return this.step.asked.meters.flatMap(fills).map(({ meter, field }) => {
        const into = this.step.asked.inputs.find((each) => each.name === field);
        const one = into ? into.asks.toLowerCase() : "it";
        const what = field === undefined ? `the last ${data.runMinutes} minutes` : one;
        const words = `Take ${what} from the ${meter.name}${meter.simulated ? " (simulated)" : ""}`;
        return { ...meter, field, words };
      });
    },
    async takeFrom(meter, tries = 30) {
      const at = this.step;
      const minutes = meter.field === undefined ? { minutes: data.runMinutes } : {};
      const asked = new URLSearchParams({ meter: meter.key, spot: `${data.trial}:${at.unit.code}`, ...minutes });
      asked.set("measure", at.asked.key);
      try {
        const told = await (await fetch(`${data.take}?${asked}`, { headers: { Accept: "application/json" } })).json();
        if (at.place !== this.step.place) return;
        this.says = told.said;
        if (told.values) this.fillRun(meter.run, told);
        else if (told.value) this.fillFrom(meter.field, told.value);
        else if (told.said.endsWith("…") && tries > 0) setTimeout(() => this.takeFrom(meter, tries - 1), 2000);
        if (told.meter) this.meter = told.meter;
        if (told.meter && this.isWorked) this.work();
      } catch {
        this.says = "No signal: type what the meter shows.";
      }
    },
    fillRun([minutes, values], told) {
      this.way = this.step.asked.inputs.find((each) => each.name === minutes).way;
      const spaced = (text) => text.replaceAll(";", " ");
      Object.assign(this.given, { [minutes]: spaced(told.minutes), [values]: spaced(told.values) });
    },
    fillFrom(field, value) {
      if (field) this.given[field] = value;
      else this.typed = value;
      document.getElementById(field ? `in-${field}` : "typed")?.focus(); // Enter goes on, and takes it no second time
    },
    get howText() {
      return `${this.step.asked.how.join(" ")} It can’t tell: ${this.step.asked.cannot_tell}`;
    },
    get howPicture() {
      return this.step.asked.picture;
    },
    get showsPicture() {
      return this.showHow && this.howPicture !== "";
    },
    toggleHow() {
      this.showHow = !this.showHow;
    },
    // Where one stands on the ground, and where to go next.
    mark() {
      const next = steps.slice(this.at).find((step) => step.unit.code !== this.step.unit.code);
      document.querySelectorAll(".till-map [data-code]").forEach((tile) => {
        tile.classList.toggle("here", tile.dataset.code === this.step.unit.code);
        tile.classList.toggle("next", tile.dataset.code === next?.unit.code);
      });
    },
    arrange() {
      Object.assign(wished, { order: this.order, by: this.by });
      try {
        localStorage.setItem("round-ways", JSON.stringify(wished));
      } catch {
        // It goes this way until the page is closed.
      }
      steps = RoundState.laid(data, wished);
      this.laid += 1;
      this.goTo(this.firstOpen());
    },
    get noPrevious() {
      return this.atEnd || data.previousDay === null;
    },
    get previousText() {
      const before = data.previous[this.step.place.replace(":again", "")];
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
    get underWay() {
      return Object.values(this.storing).reduce((sum, count) => sum + count, 0);
    },
    get waiting() {
      return this.stored + this.underWay;
    },
    get isHeldUp() {
      return RoundState.isHeldUp(this);
    },
    get lineText() {
      return RoundState.lineText(this);
    },
    get lineClass() {
      return this.isHeldUp ? "is-waiting" : "";
    },
    get endTitle() {
      const open = steps.length - this.answered;
      return this.allIn ? "All in. Finish the round." : `${open} ${open === 1 ? "reading is" : "readings are"} open`;
    },
    get finishText() {
      return this.allIn ? "Finish round" : "Finish round as it is";
    },
    get mayFinish() {
      return !this.finished;
    },
    get endClass() {
      return this.finished ? "" : "till-says";
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
      return this.deciding ? Keeper.titled(this.open[0]) : "";
    },
    get openMine() {
      const [entry] = this.open;
      if (!entry) return "";
      return entry.op ? `You typed ${Keeper.wordedOp(entry.op)}.` : "The computer did not keep it.";
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
      if (entry.op.round !== data.round || !entry.op.unit) return;
      if (act === "drop") this.stands(placeOf(entry.op), entry.there ?? known[placeOf(entry.op)]);
      else if (act !== "file") this.show(entry.op);
      this.enter();
    },

    // Kept by the device, or held in this page: not before.
    isAnswered(step) {
      if (this.storing[step.place]) return false;
      if (step.asked.kind === "photo" && this.pictured[step.unit.code]) return true;
      return RoundState.isFilled(this.saved[step.place]);
    },
    firstOpen() {
      return RoundState.firstOpen(steps, (step) => this.isAnswered(step));
    },

    // Moving.
    enter() {
      this.says = "";
      this.endSays = this.finished ? FINISHED_HERE : "";
      this.doubted = null;
      this.showPrevious = false;
      this.showHow = false;
      this.reckoned = "";
      this.meter = "";
      this.mark();
      const there = this.at < steps.length ? this.saved[this.step.place] : undefined;
      this.typed = there && there.value !== null ? String(there.value) : "";
      if (there && there.value === null && there.skip) this.says = `Skipped: ${there.skip}`;
      this.given = RoundState.givenIn(there?.inputs ?? "");
      this.way = this.step.asked.inputs.find((each) => each.way && this.given[each.name])?.way ?? this.ways[0] ?? "";
      const shown = this.typed;
      this.$nextTick(() => this.focusOn(shown, 40));
    },
    // x-show uncovers the field by a timer of its own: try until it can take the focus.
    focusOn(shown, tries) {
      if (document.activeElement?.closest(".till-end, .till-day, .till-ways")) return; // somebody types there
      const first = this.isTapped ? ".till-choices" : this.isWorked ? ".till-inputs .input" : "#typed";
      const field = document.querySelector(first);
      if (!this.asking || tries === 0) return;
      if (!field) {
        setTimeout(() => this.focusOn(shown, tries - 1), 25);
        return;
      }
      field.focus();
      if (document.activeElement !== field) setTimeout(() => this.focusOn(shown, tries - 1), 25);
      else if (shown && field.value === shown) field.select?.(); // never over a digit that was typed meanwhile
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
      if (this.isWorked) {
        this.keepWorked();
        return;
      }
      const { says, isOdd, sure } = RoundState.checked(this.step.asked, this.typed, this.doubted);
      this.says = says;
      if (isOdd) {
        this.doubted = this.typed;
        this.$refs.typed.select();
      }
      if (says) return;
      this.record(this.step, { typed: this.typed.trim(), skip: "", sure });
      this.goOn();
    },
    get missing() {
      return RoundState.missingOf(this.inputs, this.given);
    },
    keepWorked() {
      const missing = this.missing;
      if (missing) {
        this.says = `Give ${missing.label}, or skip.`;
        document.getElementById(missing.id)?.focus();
        return;
      }
      if (!this.inputText) {
        this.says = "Type the counts, 0 where there is none, or skip.";
        return;
      }
      this.record(this.step, { typed: this.inputText, skip: "", sure: true });
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
      const stepsOf = (asked) => RoundState.stepsOf(this.step.unit, asked, data.second);
      const skipped = this.isShot ? shots.flatMap(stepsOf) : [this.step];
      for (const step of skipped) this.record(step, { typed: "", skip: reason.trim(), sure: false });
      this.goOn();
    },
    async record(step, what) {
      const before = this.isAnswered(step) ? { ...this.saved[step.place] } : null;
      const op = this.opFor(step, what);
      this.show(op);
      const past = { round: data.round, place: step.place, before };
      await this.whileStoring(step.place, () => Promise.all([this.queue(step, op), Keeper.remember(past)]));
      Keeper.send();
    },
    // Before anything else, so that nobody is told that all is sent.
    async whileStoring(place, store) {
      this.storing[place] = (this.storing[place] ?? 0) + 1;
      await store();
      await this.look();
      this.storing[place] -= 1;
    },
    opFor(step, what) {
      const there = this.saved[step.place];
      return {
        id: Device.newKey(),
        trial: data.trial,
        round: data.round,
        unit: step.unit.code,
        measure: step.asked.key,
        replicate: step.replicate,
        unit_of_value: step.asked.unit,
        again: step.again,
        at: Keeper.now(),
        ...(this.readOn ? { on: this.readOn } : {}),
        meter: this.meter,
        seen: there ? there.version : 0,
        replaces: there ? there.id ?? "" : "",
        ...what,
      };
    },
    show(op) {
      this.saved[placeOf(op)] = RoundState.readingOf(op, this.saved[placeOf(op)], data.who);
    },
    queue(step, op) {
      const reading = step.asked.perUnit > 1 ? `, ${step.replicate}` : "";
      const measure = step.asked.name;
      const told = { trial: data.trialName, round: data.roundName, day: data.day, unit: op.unit, measure };
      return Keeper.add(op, { ...told, title: `${op.unit}: ${measure}${reading}` });
    },
    async undo() {
      if (this.undoing) return;
      this.undoing = true;
      setTimeout(() => {
        this.undoing = false;
      }, UNDO_MS);
      await this.undoLast();
    },
    async undoLast() {
      const last = (await Keeper.undoable(data.round)).pop();
      if (!last) return;
      await Keeper.forget(last);
      const step = stepAt(last.place);
      if (step) {
        const op = this.opFor(step, RoundState.undoing(last.before));
        this.show(op);
        this.goTo(steps.indexOf(step));
        await this.whileStoring(step.place, () => this.queue(step, op));
      }
      await this.look();
      Keeper.send();
    },

    // Answers.
    hear(entry, answer) {
      if (entry.op.round !== data.round) return;
      if (!entry.op.unit) {
        this.hearWord(entry.op, answer);
        return;
      }
      const place = placeOf(entry.op);
      if (answer.there) known[place] = answer.there;
      this.stands(place, RoundState.standing(this.saved[place], known[place], entry, answer));
    },
    stands(place, reading) {
      if (reading) this.saved[place] = { ...reading };
      else delete this.saved[place];
    },
    // What is said of the whole round: a note, or that it is finished.
    say(word, title) {
      const op = { id: Device.newKey(), trial: data.trial, round: data.round, ...word };
      return this.whileStoring("round", () => Keeper.add(op, { trial: data.trialName, round: data.roundName, title }));
    },
    async sayNote(field) {
      if (field.value.trim() === field.defaultValue.trim()) return;
      await this.say({ note: field.value, seen_note: field.defaultValue }, "Note of this round");
      Keeper.send();
    },
    hearWord(op, answer) {
      const field = document.getElementById("round-note");
      if (answer.status !== "saved" || !field) return;
      if (op.finished) location.assign(document.querySelector(".till-head a").href);
      if (op.note === undefined) return;
      const isUntouched = field.value.trim() === op.note.trim();
      field.defaultValue = field.form.elements.seen.value = answer.there.note;
      if (isUntouched) localStorage.removeItem(`note:${data.round}`);
    },
    async beforeFinish(event) {
      if (this.isSettled) return;
      event.preventDefault();
      const form = event.target;
      await Device.mend();
      await Keeper.send();
      await this.look();
      if (this.isSettled || this.wasTold) form.submit();
      else if (RoundState.mayFinishHere(this, form)) await this.finishHere();
      else this.endSays = RoundState.whyOpen(this);
      this.wasTold = this.waiting === 0 && !this.deciding; // what the store may hide still counts when it comes
    },
    async finishHere() {
      if (!this.finished) await this.say({ finished: true }, "Round finished");
      this.finished = true;
      this.endSays = FINISHED_HERE;
    },
    get isSettled() {
      return this.waiting === 0 && !this.deciding && this.hidden === "";
    },
  }));
});
