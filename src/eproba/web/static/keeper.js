// Keeps what was typed on this device until the computer has it and nothing about it is left to decide.
// On every page: says how many entries wait, and sends them. Works on plain http in the home network: no service
// worker, no randomUUID. Where the device gives no room, entries stay in the page, which asks before it is closed.
"use strict";

const RETRY_MS = 4000;
const AT_ONCE = 200;
const MINUTE_MS = 60000;
const OLD_ENTRY = "Typed with an older Eproba: it can’t be sent. Type it again in its round, then throw it away.";
const QUESTION = "Somebody else typed here meanwhile. Which is right?";

const Keeper = {
  database: null,
  memory: [], // entries that found no room on the device, numbered below 0
  numbered: 0,
  history: [], // what can be undone, where the device gives no room
  film: [], // pictures that found no room on the device
  sending: null, // the promise of what is on its way
  trouble: "",
  offset: 0, // our clock against the computer's, ms
  here: "", // key of the round that this page types; its own line tells of it

  newId() {
    return [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  },
  now() {
    return Date.now() + this.offset;
  },

  // The device's store.
  open() {
    this.opened ??= this.openDatabase();
    return this.opened;
  },
  async openDatabase() {
    try {
      this.database = await new Promise((resolve, reject) => {
        const request = indexedDB.open("eproba", 3);
        request.onupgradeneeded = () => {
          for (const name of ["typed", "history", "pictures"]) {
            if (request.result.objectStoreNames.contains(name)) continue;
            request.result.createObjectStore(name, { keyPath: "n", autoIncrement: true });
          }
        };
        request.onsuccess = () => resolve(request.result);
        request.onerror = () => reject(request.error);
        request.onblocked = () => reject(new Error("another page holds an older store"));
      });
      this.database.onversionchange = () => this.database.close();
    } catch {
      this.database = null;
    }
  },
  run(name, mode, work) {
    return new Promise((resolve, reject) => {
      const transaction = this.database.transaction(name, mode, { durability: "strict" });
      const request = work(transaction.objectStore(name));
      transaction.oncomplete = () => resolve(request.result);
      transaction.onerror = () => reject(transaction.error);
      transaction.onabort = () => reject(transaction.error);
    });
  },
  async stored(name) {
    if (!this.database) return [];
    try {
      return await this.run(name, "readonly", (store) => store.getAll());
    } catch {
      return [];
    }
  },

  // Entries: { op, told (its words), state: waiting | conflict | doubted | refused, why, there }.
  async all() {
    await this.open();
    const entries = [...(await this.stored("typed")), ...this.memory];
    return entries.map((entry) => (entry.told ? entry : { ...entry, told: {}, state: "refused", why: OLD_ENTRY }));
  },
  async find(n) {
    return (await this.all()).find((each) => each.n === n);
  },
  async add(op, told) {
    await this.open();
    const entry = { op, told, state: "waiting", why: "" };
    try {
      await this.run("typed", "readwrite", (store) => store.add(entry));
    } catch {
      this.hold(entry);
    }
    await this.changed();
  },
  hold(entry) {
    this.numbered -= 1;
    this.memory.push({ ...entry, n: this.numbered });
  },
  async put(entry) {
    const at = this.memory.findIndex((each) => each.n === entry.n);
    if (at >= 0) {
      this.memory[at] = entry;
      return;
    }
    try {
      await this.run("typed", "readwrite", (store) => store.put(entry));
    } catch {
      await this.remove(entry); // no room for what became of it: the page keeps it instead
      this.hold(entry);
    }
  },
  async remove(entry) {
    if (entry.n < 0) this.memory = this.memory.filter((each) => each.n !== entry.n);
    else await this.run("typed", "readwrite", (store) => store.delete(entry.n));
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
  safe() {
    return this.memory.length === 0 && this.film.length === 0;
  },

  // Pictures, kept like entries until the computer has them: { to, unit, round, taken, blob }.
  async pictures() {
    await this.open();
    return [...(await this.stored("pictures")), ...this.film];
  },
  async addPicture(picture) {
    await this.open();
    try {
      await this.run("pictures", "readwrite", (store) => store.add(picture));
    } catch {
      this.film.push(picture);
    }
    await this.changed();
  },
  async postPicture(picture, token) {
    const body = new FormData();
    const fields = { csrf_token: token, unit: picture.unit, round: picture.round, taken: String(picture.taken) };
    for (const [name, value] of Object.entries(fields)) body.append(name, value);
    body.append("file", picture.blob, "picture.jpg");
    const answer = await fetch(picture.to, { method: "POST", body, headers: { Accept: "application/json" } });
    const told = await answer.json().catch(() => ({}));
    const settled = answer.ok || answer.status === 404 || answer.status === 413;
    if (!settled) throw Object.assign(new Error("picture"), { status: answer.status });
    this.film = this.film.filter((each) => each !== picture);
    if (picture.n) await this.run("pictures", "readwrite", (store) => store.delete(picture.n));
    const said = told.said ?? told.help ?? "The picture can’t be kept.";
    document.dispatchEvent(new CustomEvent("picture-answered", { detail: { picture, said, unit: told.unit ?? "" } }));
  },

  // What can be undone in a round, the latest last; it survives a reload.
  async undoable(round) {
    await this.open();
    return [...(await this.stored("history")), ...this.history].filter((each) => each.round === round);
  },
  async remember(step) {
    try {
      await this.run("history", "readwrite", (store) => store.add(step));
    } catch {
      this.history.push(step);
    }
  },
  async forget(step) {
    this.history = this.history.filter((each) => each !== step);
    if (step.n) await this.run("history", "readwrite", (store) => store.delete(step.n));
  },

  // Sending: in the order typed, each judged alone by the computer.
  send() {
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
      for (const picture of await this.pictures()) await this.postPicture(picture, await this.token());
      this.trouble = "";
    } catch (error) {
      this.trouble = this.told(error);
    }
    await this.changed();
  },
  async token() {
    const fresh = await fetch("/token", { headers: { Accept: "application/json" }, cache: "no-store" });
    if (!fresh.ok) throw Object.assign(new Error("token"), { status: fresh.status });
    const { token, now } = await fresh.json();
    this.offset = now - Date.now();
    return token;
  },
  async post(entries, token) {
    const response = await fetch("/entries", {
      method: "POST",
      headers: { "Content-Type": "application/json", Accept: "application/json", "X-CSRFToken": token },
      body: JSON.stringify({ entries: entries.map((entry) => entry.op) }),
    });
    if (response.ok) {
      const { answers } = await response.json();
      for (const [i, answer] of answers.entries()) await this.hear(entries[i], answer);
      return;
    }
    const { error, help } = await response.json().catch(() => ({}));
    const unreadable = (response.status === 400 && error !== "csrf") || response.status === 413;
    if (!unreadable) throw Object.assign(new Error("send"), { status: response.status });
    if (entries.length > 1) {
      for (const entry of entries) await this.post([entry], token); // one that can't be read holds up no other
      return;
    }
    await this.hear(entries[0], { status: "refused", there: null, why: help ?? "It can’t be read." });
  },
  async hear(entry, answer) {
    const kept = await this.find(entry.n);
    if (answer.status === "saved" && answer.there) this.note(entry.op, answer.there);
    const asSent = JSON.stringify(kept?.op) === JSON.stringify(entry.op);
    if (!asSent && answer.status !== "saved") return; // decided meanwhile, in another window
    if (answer.status !== "saved") {
      await this.put({ ...entry, state: answer.status, why: answer.why, there: answer.there });
    } else if (asSent) await this.remove(entry);
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
    if (op.undo) return "taken back";
    return op.typed || `skipped (${op.skip})`;
  },
  ways(entry) {
    const drop = { act: "drop", words: "Throw mine away", look: "" };
    if (entry.state === "conflict") {
      const theirs = `${entry.there?.by || "The other device"}: ${this.worded(entry.there)}`;
      const mine = { act: "mine", words: `Mine: ${this.wordedOp(entry.op)}`, look: "is-primary" };
      return [{ act: "drop", words: theirs, look: "" }, mine];
    }
    const sure = { act: "sure", words: `${entry.op.typed} is right`, look: "is-primary" };
    if (entry.state === "doubted") return [sure, drop];
    const file = { act: "file", words: "Keep all as a file", look: "is-primary" };
    return entry.state === "refused" ? [file, { act: "again", words: "Send again", look: "" }, drop] : [];
  },
  why(entry) {
    return entry.state === "conflict" ? QUESTION : entry.why;
  },
  async decide({ n }, act) {
    if (act === "file") return this.file();
    const entry = await this.find(n); // as it is kept, not as a page shows it
    if (!entry) return this.changed();
    if (act === "drop") {
      await this.remove(entry);
    } else {
      const op = { ...entry.op };
      if (act === "mine") Object.assign(op, { id: this.newId(), seen: entry.there?.version ?? 0, replaces: "" });
      if (act === "sure") op.sure = true;
      await this.put({ ...entry, op, state: "waiting", why: "" });
    }
    document.dispatchEvent(new CustomEvent("entry-decided", { detail: { entry, act } }));
    await this.changed();
    return this.send();
  },
  async file() {
    const quoted = (text) => `"${String(text ?? "").replaceAll('"', '""')}"`;
    const rows = (await this.all()).map(({ op, told }) => {
      const value = op.typed ?? op.value;
      const read = new Date(op.at ?? 0).toISOString();
      return [told.trial, told.day, op.unit, told.measure, op.replicate, value, op.skip, read].map(quoted);
    });
    const head = ["trial", "day", "unit", "measure", "reading", "value", "skipped", "read_at"];
    const text = [head, ...rows].map((row) => row.join(";")).join("\r\n");
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([`\ufeff${text}\r\n`], { type: "text/csv" }));
    link.download = "eproba-entries.csv";
    link.click();
  },

  // Saying it, on every page.
  async changed() {
    const elsewhere = (each) => (each.op ?? each).round !== this.here;
    const entries = [...(await this.all()), ...(await this.pictures())].filter(elsewhere);
    const line = document.getElementById("waiting-line");
    if (line) {
      line.hidden = entries.length === 0;
      line.querySelector("a").textContent = this.line(entries);
    }
    document.dispatchEvent(new CustomEvent("entries-changed"));
  },
  line(entries) {
    const open = entries.filter((entry) => entry.op && entry.state !== "waiting").length;
    const counted = (n, one, many) => (n === 1 ? `1 entry ${one}` : `${n} entries ${many}`);
    if (open > 0) return `${counted(open, "needs", "need")} your decision`;
    const where = this.safe() ? "on this device" : "in this page only: don’t close it";
    return `${this.trouble} ${counted(entries.length, "waits", "wait")} ${where}`.trim();
  },
};

window.addEventListener("beforeunload", (event) => {
  if (Keeper.safe()) return;
  event.preventDefault();
  event.returnValue = "";
});
window.addEventListener("online", () => Keeper.send());
document.addEventListener("visibilitychange", () => Keeper.send());
document.addEventListener("DOMContentLoaded", async () => {
  Keeper.offset = Number(document.body.dataset.now) - Date.now();
  await Keeper.changed();
  await Keeper.send();
  setInterval(async () => {
    const waits = (await Keeper.all()).some((entry) => entry.state === "waiting");
    if (waits || (await Keeper.pictures()).length > 0) Keeper.send();
  }, RETRY_MS);
});
