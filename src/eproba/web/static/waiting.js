// Everything that this device holds of what was typed: what waits, and what has to be decided.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("waiting", () => ({
    entries: [],
    trouble: "",
    hidden: "", // what the device's store hides
    wasCleared: false,
    missing: 0, // readings that may be gone with the data that took them
    reasons: {}, // by entry

    async init() {
      document.addEventListener("entries-changed", () => this.look());
      await this.look();
    },
    async look() {
      this.trouble = Keeper.trouble;
      this.hidden = Device.words;
      this.wasCleared = Device.cleared > 0;
      const pictures = await Keeper.pictures();
      this.missing = (await Keeper.missing()).length;
      this.entries = (await Keeper.all()).map((entry) => ({
        entry,
        title: [entry.told.trial, entry.told.round, entry.told.title].filter(Boolean).join(", ") || "Typed earlier",
        typed: Keeper.wordedOp(entry.op),
        when: entry.op.at ? `typed ${new Date(entry.op.at).toLocaleString()}` : "",
        why: Keeper.why(entry),
        ways: Keeper.ways(entry).filter((way) => way.act !== "file"),
        wantsReason: entry.state === "refused" && entry.field === "reason",
      }));
      const film = pictures.map((entry) => ({
        entry,
        title: [entry.trialName, Keeper.titled(entry)].filter(Boolean).join(", "),
        typed: entry.state === "waiting" ? "A picture, waiting to be sent" : "The computer did not keep it",
        when: `taken ${new Date(entry.taken).toLocaleString()}`,
        why: entry.why,
        ways: Keeper.ways(entry),
        wantsReason: false,
      }));
      this.entries.push(...film);
    },
    get none() {
      return this.entries.length === 0 && this.hidden === "" && this.missing === 0;
    },
    get someMissing() {
      return this.missing > 0;
    },
    get missingText() {
      return `${Keeper.missingText(this.missing)}.`;
    },
    understood() {
      Device.understood();
      Keeper.changed();
    },
    sendMissing() {
      Keeper.sendMissing();
    },
    leaveMissing() {
      Keeper.leaveMissing();
    },
    fieldOf(shown) {
      return `reason-${shown.entry.key}`;
    },
    give(shown, event) {
      this.reasons[shown.entry.key] = event.target.value;
    },
    sendWithReason(shown) {
      const reason = (this.reasons[shown.entry.key] ?? "").trim();
      if (reason) Keeper.decide(shown.entry, "reason", reason);
    },
    get some() {
      return this.entries.length > 0 || this.hidden !== "";
    },
    // Of a store that was emptied nothing is left to be sent; one that only hides what it holds may yet give it.
    get someLeft() {
      return this.entries.length > 0 || !this.wasCleared;
    },
    get summary() {
      const line = Keeper.line(this.entries.map((each) => each.entry));
      return line.endsWith(".") ? line : `${line}.`;
    },
    get readings() {
      return this.entries.filter(({ entry }) => Keeper.isReading(entry));
    },
    get someInFile() {
      return this.readings.length > 0;
    },
    get fileHint() {
      const way = "The file can be read in any table. “CSV in” of any trial takes it: each row goes to its own trial.";
      return this.readings.length < this.entries.length ? `${way} Only the readings are in it.` : way;
    },
    send() {
      Keeper.send();
    },
    file() {
      Keeper.file();
    },
    decide(shown, way) {
      Keeper.decide(shown.entry, way.act);
    },
  }));
});
