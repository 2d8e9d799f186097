// Keeps what was typed until the computer has it and nothing about it is left to decide. On every page: says how many
// entries wait, and sends them while somebody looks at the page. Works on plain http in the home network: no service
// worker, no randomUUID. What the device has not confirmed stays in the page, which asks before it is closed.
"use strict";

const RETRY_MS = 4000;
const NETWORK_MS = 20000;
const PICTURE_MS = 120000; // over a weak signal
const AT_ONCE = 200;
const UNKEPT = [400, 403, 404, 410, 413, 415]; // answers after which the same picture is not sent again by itself
const MINUTE_MS = 60000;
const OLD_ENTRY = "Typed with an older Eproba: it can’t be sent. Type it again in its round, then throw it away.";
const REMEMBERED_MS = 14 * 24 * 60 * MINUTE_MS; // what the computer has taken, in case its data are restored
const PAGE = Device.newKey(); // this page, whose monotonic clock goes on while the device's is set
const QUESTION = "Somebody else typed here meanwhile. Which is right?";

const Keeper = {
  sending: null, // the promise of what is on its way
  trouble: "",
  offset: 0, // our clock against the computer's, ms
  synced: null, // { wall, mono, seen }: both clocks when the offset was known last, and whether the page was seen since
  store: "", // which state of its data the computer has
  here: "", // key of the round that this page types; its own line tells of it

  now() {
    return Date.now() + this.offset;
  },
  sync(now, store) {
    this.offset = now - Date.now();
    this.synced = { wall: Date.now(), mono: performance.now(), wasSeen: true };
    if (store) this.store = store;
  },
  clock() {
    return { wall: Date.now(), mono: performance.now(), page: PAGE };
  },
  // Whether the device's clock was set since the offset was known: back, or ahead while somebody looked at the page,
  // so that it can't have slept.
  get isClockSet() {
    if (!this.synced) return false;
    const { wall, mono, wasSeen } = this.synced;
    const jump = Date.now() - wall - (performance.now() - mono);
    return jump < -MINUTE_MS || (jump > MINUTE_MS && wasSeen);
  },
  // When an entry was read, by the offset that is known now. Where that differs from what was known as it was typed,
  // the clock was set in between: before the typing, or after it? The page's own time tells.
  timeOf({ op, clock }) {
    if (!clock || op.at === undefined) return op.at;
    const byWall = clock.wall + this.offset;
    if (Math.abs(byWall - op.at) < MINUTE_MS) return op.at;
    if (clock.page !== PAGE) return byWall > this.now() ? op.at : byWall;
    const byPage = this.now() - (performance.now() - clock.mono);
    return Math.abs(byWall - byPage) < Math.abs(op.at - byPage) ? byWall : op.at;
  },

  // Entries: { op, told (its words), state: waiting | conflict | doubted | refused, why, there }.
  async all() {
    const entries = await Device.list("typed");
    return entries.map((entry) => (entry.told ? entry : { ...entry, told: {}, state: "refused", why: OLD_ENTRY }));
  },
  async find(key) {
    return (await this.all()).find((entry) => entry.key === key);
  },
  async add(op, told) {
    await Device.add("typed", { op, told, state: "waiting", why: "", clock: this.clock() });
    await this.changed();
  },
  // What was taken by data that are not the computer's any more: a backup took their place, and it may be missing.
  async missing() {
    const kept = await Device.list("acknowledged");
    for (const each of kept) if (Date.now() - each.at > REMEMBERED_MS) await Device.remove("acknowledged", each);
    const young = kept.filter((each) => Date.now() - each.at <= REMEMBERED_MS);
    return this.store === "" ? [] : young.filter((each) => each.store !== this.store);
  },
  async sendMissing() {
    for (const each of await this.missing()) {
      await Device.add("typed", { op: each.op, told: each.told, state: "waiting", why: "" });
      await Device.remove("acknowledged", each);
    }
    await this.changed();
    return this.send();
  },
  async leaveMissing() {
    for (const each of await this.missing()) await Device.remove("acknowledged", each);
    await this.changed();
  },
  // What the computer has taken within the last minute: a page that was made meanwhile does not show it yet.
  taken() {
    try {
      const noted = JSON.parse(sessionStorage.getItem("taken") ?? "[]");
      return noted.filter((each) => Math.abs(Date.now() - each.at) < MINUTE_MS);
    } catch {
      return [];
    }
  },
  note(op, there) {
    try {
      const noted = [...this.taken(), { op, there, at: Date.now() }];
      sessionStorage.setItem("taken", JSON.stringify(noted.slice(-AT_ONCE)));
    } catch {
      // no room: such a page shows it when it is loaded again
    }
  },
  // Where all that waits is.
  get where() {
    return Device.isSafe ? "safely on this device" : "in this page only: don’t close it";
  },
  // Whether the device hides nothing: only then may anybody be told that all is sent.
  get isKnown() {
    return Device.words === "";
  },

  // Pictures, held like entries until the computer has kept them: { to, unit, round, trialName, taken, bytes, state,
  // why, elsewhere }; WebKit keeps no Blob. One that the computer did not keep stays, with why, for a person to decide.
  async pictures() {
    return (await Device.list("pictures")).map((picture) => ({ state: "waiting", why: "", ...picture }));
  },
  async addPicture(picture, blob) {
    await Device.add("pictures", { ...picture, bytes: await blob.arrayBuffer() });
    await this.changed();
  },
  async postPicture(picture, token) {
    const body = new FormData();
    const { unit: of, round, taken, on = "" } = picture;
    const fields = { csrf_token: token, unit: of, round, taken: String(taken), on };
    for (const [name, value] of Object.entries(fields)) body.append(name, value);
    body.append("file", this.blobOf(picture), "picture.jpg");
    const answer = await this.fetch(picture.to, { method: "POST", body }, PICTURE_MS);
    const isRefusal = UNKEPT.includes(answer.status) && answer.body.error !== "csrf";
    if (!answer.ok && !isRefusal) throw Object.assign(new Error("picture"), { status: answer.status });
    const said = answer.body.said ?? answer.body.help ?? "The picture can’t be kept.";
    const { unit = "", kept = false, elsewhere = "" } = answer.ok ? answer.body : {};
    if (kept) await Device.remove("pictures", picture);
    else await Device.put("pictures", { ...picture, state: "refused", why: said, elsewhere });
    document.dispatchEvent(new CustomEvent("picture-answered", { detail: { picture, said, unit, kept } }));
  },
  blobOf(picture) {
    return picture.blob ?? new Blob([picture.bytes], { type: "image/jpeg" });
  },
  save(blob, name) {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(blob);
    link.download = name;
    link.click();
  },

  // What can be undone in a round, the latest last; it survives a reload.
  async undoable(round) {
    return (await Device.list("history")).filter((step) => step.round === round);
  },
  remember(step) {
    return Device.add("history", step);
  },
  forget(step) {
    return Device.remove("history", step);
  },

  // Sending: in the order typed, each judged alone by the computer.
  get isSeen() {
    return document.visibilityState === "visible" && !Device.gone;
  },
  send() {
    if (!this.isSeen) return Promise.resolve(); // a page that goes, or that nobody looks at, begins nothing
    this.sending ??= this.sendAll().finally(() => {
      this.sending = null;
    });
    return this.sending;
  },
  async sendAll() {
    try {
      for (let tries = 0; tries < 50; tries += 1) {
        const waiting = (await this.all()).filter((entry) => entry.state === "waiting").slice(0, AT_ONCE);
        if (waiting.length === 0) break;
        await this.post(waiting, await this.token());
      }
      const film = (await this.pictures()).filter((picture) => picture.state === "waiting");
      for (const picture of film) await this.postPicture(picture, await this.token());
      this.trouble = "";
    } catch (error) {
      this.trouble = this.told(error);
    }
    await this.changed();
  },
  async token() {
    const { ok, status, body } = await this.fetch("/token", { cache: "no-store" });
    if (!ok) throw Object.assign(new Error("token"), { status });
    this.sync(body.now, body.store);
    return body.token;
  },
  // An answer with its status and what it says; one that does not come in time is none.
  async fetch(address, options, patience = NETWORK_MS) {
    const headers = { Accept: "application/json", ...options.headers };
    const answered = fetch(address, { ...options, headers }).then(async (answer) => {
      return { ok: answer.ok, status: answer.status, body: await answer.json().catch(() => ({})) };
    });
    return within(answered, patience);
  },
  async post(entries, token) {
    const { ok, status, body } = await this.fetch("/entries", {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": token },
      body: JSON.stringify({ entries: entries.map((entry) => ({ ...entry.op, at: this.timeOf(entry) })) }),
    });
    if (ok) {
      for (const [i, answer] of body.answers.entries()) await this.hear(entries[i], answer);
      return;
    }
    const unreadable = (status === 400 && body.error !== "csrf") || status === 413;
    if (!unreadable) throw Object.assign(new Error("send"), { status });
    if (entries.length > 1) {
      for (const entry of entries) await this.post([entry], token); // one that can't be read holds up no other
      return;
    }
    await this.hear(entries[0], { status: "refused", there: null, why: body.help ?? "It can’t be read." });
  },
  async hear(entry, answer) {
    const kept = await this.find(entry.key);
    if (answer.status === "saved" && answer.there && entry.op.unit) this.note(entry.op, answer.there);
    const asSent = JSON.stringify(kept?.op) === JSON.stringify(entry.op);
    if (!asSent && answer.status !== "saved") return; // decided meanwhile, in another window
    if (answer.status !== "saved") {
      const { status: state, why, there, field = "" } = answer;
      await Device.put("typed", { ...entry, state, why, there, field });
    } else if (asSent) {
      const { op, told } = entry;
      if (op.unit) await Device.add("acknowledged", { op, told, at: Date.now(), store: this.store });
      await Device.remove("typed", entry);
    }
    document.dispatchEvent(new CustomEvent("entry-answered", { detail: { entry, answer } }));
  },
  told(error) {
    if (error.status === 401) return "This device must come in again (reload the page).";
    return error.status >= 500 ? "The computer is not answering." : "No connection.";
  },

  // What a person has to decide.
  worded(reading) {
    if (!reading || (reading.value === null && !reading.skip)) return "nothing";
    return reading.value === null ? `skipped (${reading.skip})` : String(reading.value);
  },
  wordedOp(op) {
    if (op.finished) return "round finished";
    if (op.note !== undefined) return `“${op.note}”`;
    if (op.undo) return "taken back";
    return op.typed || `skipped (${op.skip})`;
  },
  ways(entry) {
    const drop = { act: "drop", words: "Throw mine away", look: "" };
    if (entry.bytes || entry.blob) return this.waysOfPicture(entry, drop);
    if (entry.state === "conflict" && entry.op.note !== undefined) {
      const theirs = { act: "drop", words: `Theirs: “${entry.there?.note ?? ""}”`, look: "" };
      return [theirs, { act: "mine", words: `Mine: ${this.wordedOp(entry.op)}`, look: "is-primary" }];
    }
    if (entry.state === "conflict") {
      const theirs = `${entry.there?.by || "The other device"}: ${this.worded(entry.there)}`;
      const mine = { act: "mine", words: `Mine: ${this.wordedOp(entry.op)}`, look: "is-primary" };
      return [{ act: "drop", words: theirs, look: "" }, mine];
    }
    const sure = { act: "sure", words: `${entry.op.typed} is right`, look: "is-primary" };
    if (entry.state === "doubted") return [sure, drop];
    const file = { act: "file", words: "Keep all as a file", look: "is-primary" };
    const again = { act: "again", words: "Send again", look: "" };
    if (entry.state !== "refused") return [];
    return entry.op.unit ? [file, again, drop] : [again, drop];
  },
  waysOfPicture(picture, drop) {
    if (picture.state !== "refused") return [];
    const there = { act: "there", words: "Send it to its own trial", look: "is-primary" };
    const save = { act: "save", words: "Save the picture", look: "" };
    const again = { act: "again", words: "Send again", look: "" };
    return [...(picture.elsewhere ? [there] : []), save, again, drop];
  },
  titled(entry) {
    if (!entry.op) return `${entry.unit || "No unit"}: picture`;
    return entry.op.unit ? `${entry.told.unit}: ${entry.told.measure}` : entry.told.title;
  },
  why(entry) {
    return entry.state === "conflict" ? QUESTION : entry.why;
  },
  async decide({ key }, act, reason = "") {
    if (act === "file") return this.file();
    const picture = (await this.pictures()).find((each) => each.key === key);
    if (picture) return this.decidePicture(picture, act);
    const entry = await this.find(key); // as it is kept, not as a page shows it
    if (!entry) return this.changed();
    if (act === "drop") {
      await Device.remove("typed", entry);
    } else {
      const op = { ...entry.op };
      const seen = { seen: entry.there?.version ?? 0, replaces: "", seen_note: entry.there?.note ?? "" };
      if (act === "mine") Object.assign(op, { id: Device.newKey(), ...seen });
      if (act === "reason") op.reason = reason;
      if (act === "sure") op.sure = true;
      await Device.put("typed", { ...entry, op, state: "waiting", why: "" });
    }
    document.dispatchEvent(new CustomEvent("entry-decided", { detail: { entry, act } }));
    await this.changed();
    return this.send();
  },
  async decidePicture(picture, act) {
    if (act === "save") this.save(this.blobOf(picture), `${picture.unit || "unit"}-${picture.taken}.jpg`);
    else if (act === "drop") await Device.remove("pictures", picture);
    else {
      const to = act === "there" ? picture.elsewhere : picture.to;
      await Device.put("pictures", { ...picture, to, state: "waiting", why: "", elsewhere: "" });
    }
    await this.changed();
    return this.send();
  },
  // A reading can be a row of a file; a picture, a note and the end of a round can't.
  isReading: ({ op }) => Boolean(op?.unit),
  async file() {
    // As `inert` of exchange/table.py: no spreadsheet takes what somebody typed for a formula; a number is none.
    const inert = (text) => (/^['=+\-@\s]/.test(text) && !/^[+-]?[\d.,]+$/.test(text) ? `'${text}` : text);
    const quoted = (text) => `"${inert(String(text ?? "")).replaceAll('"', '""')}"`;
    const mark = (yes) => (yes ? "yes" : "");
    // As `read_rescue` of exchange/rescue_csv.py reads it: all that an entry is, beside what a person can read.
    const entries = (await this.all()).filter(this.isReading);
    const rows = entries.map((entry) => {
      const { op, told } = entry;
      const value = op.typed ?? op.value;
      const read = new Date(this.timeOf(entry) ?? 0).toISOString();
      const readable = [told.trial, told.day, op.unit, told.measure, op.replicate, value, op.skip, read, op.on];
      const marks = [mark(op.again), mark(op.undo), mark(op.sure), op.meter, op.unit_of_value];
      return [...readable, ...marks, op.seen, op.replaces, op.id, op.trial, op.round, op.measure].map(quoted);
    });
    const head = ["trial", "day", "unit", "measure", "reading", "value", "skipped", "read_at", "read_on"];
    head.push("again", "undo", "sure", "meter", "unit_of_value", "seen", "replaces", "entry_id");
    head.push("trial_key", "round_key", "measure_key");
    const text = [head, ...rows].map((row) => row.join(";")).join("\r\n");
    this.save(new Blob([`\ufeff${text}\r\n`], { type: "text/csv" }), "eproba-entries.csv");
  },

  // Saying it, on every page.
  async changed() {
    const isElsewhere = (each) => (each.op ?? each).round !== this.here;
    const entries = [...(await this.all()), ...(await this.pictures())].filter(isElsewhere);
    const missing = (await this.missing()).length;
    const line = document.getElementById("waiting-line");
    if (line) {
      line.hidden = entries.length === 0 && missing === 0 && (this.isKnown || this.here !== "");
      line.querySelector("a").textContent = [this.missingText(missing), this.line(entries)].filter(Boolean).join(". ");
    }
    document.dispatchEvent(new CustomEvent("entries-changed"));
  },
  missingText(count) {
    if (count === 0) return "";
    const what = count === 1 ? "1 reading of this device" : `${count} readings of this device`;
    return `The computer’s data are of a backup: ${what} may be missing there`;
  },
  line(entries) {
    const open = entries.filter((entry) => entry.state !== "waiting").length;
    const counted = (n, one, many) => (n === 1 ? `1 entry ${one}` : `${n} entries ${many}`);
    if (open > 0) return `${counted(open, "needs", "need")} your decision`;
    const waits = entries.length > 0 ? `${counted(entries.length, "waits", "wait")} ${this.where}` : "";
    return [this.trouble, Device.words, waits].filter(Boolean).join(" ");
  },
  // Now and then: what the device did not take is offered to it again, and what waits is sent.
  async again() {
    if (!this.isSeen) return;
    const before = [Device.state, Device.held.length].join();
    await Device.mend();
    if (before !== [Device.state, Device.held.length].join()) await this.changed();
    const held = [...(await this.all()), ...(await this.pictures())];
    if (held.some((each) => each.state === "waiting")) await this.send();
  },
};

window.addEventListener("beforeunload", (event) => {
  if (Device.unkept.length === 0) return;
  event.preventDefault();
  event.returnValue = "";
});
window.addEventListener("online", () => Keeper.send());
document.addEventListener("visibilitychange", () => {
  if (document.visibilityState !== "visible" && Keeper.synced) Keeper.synced.wasSeen = false;
  Keeper.send();
});
window.addEventListener("pageshow", async ({ persisted }) => {
  if (!persisted) return;
  await Keeper.changed();
  await Keeper.send();
});
document.addEventListener("DOMContentLoaded", async () => {
  Keeper.sync(Number(document.body.dataset.now), document.body.dataset.store);
  await Keeper.changed();
  await Keeper.send();
  setInterval(() => Keeper.again(), RETRY_MS);
});
