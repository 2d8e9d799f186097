// The device's own store: what was typed, what can be undone, pictures. Every call ends within a deadline. What the
// device has not confirmed is held in this page and written when the store answers; a store that can't be read is a
// state of its own, so that nobody takes silence for "nothing waits". A page that goes begins nothing and lets go of
// the store: some browsers freeze a page with its reads open, and every other page would wait for them.
"use strict";

const ANSWER_MS = 2000;
const STORES = ["typed", "history", "pictures"];
const NO_STORE = ["SecurityError", "InvalidStateError", "NotSupportedError"];
const KNOWN = "store-known"; // on this device a store was open before: one that can't be opened now has failed
const CLEARED = "store-lost"; // how many were in it when it was emptied
const COUNTED = "store-holds"; // how many entries it held when last looked at

const Device = {
  state: "open", // open | none: this browser gives no store | silent: it does not answer | newer: a newer Eproba's
  gone: false, // this page goes, or lies in the browser's cache
  visits: 0, // how often it went
  database: null,
  opening: null,
  wasOpen: false,
  suspects: new Set(), // stores that were cleared or closed under us: what this page gave them may be missing
  held: [], // { name, item, late }: what the device has not confirmed (late: not in time), the latest last
  ours: new Map(), // key → { name, item }: what the device has confirmed to this page, and nobody has settled
  ended: new Map(), // key → name: what is settled, though the device may still have it
  last: 0, // the order of the latest item

  newKey() {
    return [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  },
  // Later than all before, also when the clock was set back.
  next() {
    this.last = Math.max(this.last + 1, Date.now());
    return this.last;
  },

  // The connection.
  connect() {
    return new Promise((resolve, reject) => {
      const request = indexedDB.open("eproba", 5);
      request.onupgradeneeded = ({ oldVersion }) => {
        if (oldVersion === 0 && this.wasOpen) this.suspects = new Set(STORES);
        else if (oldVersion === 0) this.note(CLEARED, this.noted(COUNTED) ?? "0");
        if (oldVersion < 4) for (const name of STORES) this.renew(request, name);
        request.result.createObjectStore("acknowledged", { keyPath: "key" });
      };
      request.onsuccess = () => resolve(request.result);
      request.onerror = () => reject(request.error);
    });
  },
  // Until version 3 the store numbered its items itself.
  renew({ result: database, transaction }, name) {
    const create = (items) => {
      const store = database.createObjectStore(name, { keyPath: "key" });
      for (const item of items) store.add({ ...item, key: this.newKey(), order: item.n });
    };
    if (!database.objectStoreNames.contains(name)) {
      create([]);
      return;
    }
    const before = transaction.objectStore(name).getAll();
    before.onsuccess = () => {
      database.deleteObjectStore(name);
      create(before.result);
    };
  },
  async open() {
    this.refuseWhenGone();
    if (this.database) return this.database;
    this.opening ??= this.connect().finally(() => {
      this.opening = null;
    });
    const database = await this.opening;
    if (this.gone) database.close();
    this.refuseWhenGone();
    database.onversionchange = () => this.close();
    database.onclose = () => {
      this.suspects = new Set(STORES);
      this.close();
    };
    this.wasOpen = true;
    this.note(KNOWN, "yes");
    this.database = database;
    return database;
  },
  // A word that outlives the page, where this browser keeps any.
  noted(name) {
    try {
      return localStorage.getItem(name);
    } catch {
      return null;
    }
  },
  note(name, text) {
    try {
      localStorage.setItem(name, text);
    } catch {
      // it is not known later
    }
  },
  refuseWhenGone() {
    if (this.gone) throw new DOMException("This page goes.", "AbortError");
  },
  close() {
    this.database?.close();
    this.database = null;
  },
  async run(name, mode, work) {
    const database = await this.open();
    return new Promise((resolve, reject) => {
      const transaction = database.transaction(name, mode, { durability: "strict" });
      const request = work(transaction.objectStore(name));
      let answer = () => reject(request.error); // WebKit completes also what it could not write
      request.onsuccess = () => {
        answer = () => resolve(request.result);
      };
      transaction.oncomplete = () => answer();
      transaction.onerror = () => reject(transaction.error);
      transaction.onabort = () => reject(transaction.error ?? new DOMException("Not kept.", "AbortError"));
      transaction.commit?.(); // it ends also when this page is frozen before it hears of it
    });
  },
  // A request with its deadline; once more on a new connection where the browser had closed the old one.
  // `done` hears of it also after the deadline.
  async ask(name, mode, work, done = () => {}) {
    const { visits } = this;
    const asked = this.again(name, mode, work);
    asked.then(done, () => {});
    try {
      const answer = await within(asked);
      this.state = "open";
      return answer;
    } catch (error) {
      if (!this.gone && visits === this.visits) this.state = this.stateAfter(error, mode);
      throw error;
    }
  },
  async again(name, mode, work) {
    try {
      return await this.run(name, mode, work);
    } catch (error) {
      if (error?.name === "QuotaExceededError" || !this.database) throw error;
      this.close();
      return this.run(name, mode, work);
    }
  },
  stateAfter(error, mode) {
    if (error?.name === "VersionError") return "newer";
    const isOurs = error instanceof DOMException;
    if (!this.wasOpen && this.noted(KNOWN) === null && (!isOurs || NO_STORE.includes(error.name))) return "none";
    if (this.database && mode === "readwrite" && error?.name !== "TimeoutError") return "open"; // full, but readable
    this.close();
    return "silent";
  },

  // Items: what the device has of a kind and what this page holds for it, in the order in which they came.
  async list(name) {
    const given = [...this.ours].filter(([, each]) => each.name === name).map(([key]) => key);
    const held = () => this.held.filter((each) => each.name === name).map(({ item }) => [item.key, item]);
    if (this.state !== "open") return this.inOrder(held());
    try {
      const stored = await this.ask(name, "readonly", (store) => store.getAll());
      const items = new Map(stored.map((item) => [item.key, item]));
      if (name === "typed") this.note(COUNTED, String(items.size));
      this.compare(name, given, items);
      return this.inOrder([...items, ...held()]);
    } catch {
      return this.inOrder(held());
    }
  },
  inOrder(pairs) {
    const open = [...new Map(pairs).values()].filter((item) => !this.ended.has(item.key));
    this.last = Math.max(this.last, ...open.map((item) => item.order));
    return open.sort((one, other) => one.order - other.order);
  },
  // What this page gave to the store and is there no more: settled by another window, or cleared with the store.
  compare(name, given, items) {
    const missing = given.filter((key) => !items.has(key) && this.ours.has(key));
    const isCleared = this.suspects.delete(name);
    for (const key of missing) {
      if (isCleared) this.held.push({ ...this.ours.get(key), late: true });
      this.ours.delete(key);
    }
  },
  // Kept by the device, or after the deadline held in this page: either way it is not lost while the page is open.
  add(name, item) {
    return this.put(name, { ...item, key: this.newKey(), order: this.next() });
  },
  async put(name, item) {
    this.held = this.held.filter((each) => each.item.key !== item.key);
    const held = { name, item, late: this.state !== "open" };
    this.held.push(held);
    if (!held.late) await this.write(held);
  },
  async write(held) {
    const { name, item } = held;
    const landed = () => this.landed(held);
    await this.ask(name, "readwrite", (store) => store.put(item), landed).catch(() => {
      held.late = true;
    });
  },
  landed(held) {
    if (!this.held.includes(held)) return;
    this.held = this.held.filter((each) => each !== held);
    this.ours.set(held.item.key, held);
  },
  async remove(name, { key }) {
    this.held = this.held.filter((each) => each.item.key !== key);
    this.ours.delete(key);
    this.ended.set(key, name);
    if (this.state === "open") await this.forget(key);
  },
  async forget(key) {
    const deleting = this.ask(this.ended.get(key), "readwrite", (store) => store.delete(key));
    await deleting.then(() => this.ended.delete(key)).catch(() => {});
  },
  // Now and then: whether the store answers again, takes what is held, and lets go of what is settled.
  async mend() {
    if (this.gone) return;
    if (this.state !== "open") await this.ask("typed", "readonly", (store) => store.count()).catch(() => {});
    for (const held of this.held) if (this.state === "open") await this.write(held);
    for (const key of this.ended.keys()) if (this.state === "open") await this.forget(key);
  },
  // How many entries the store held that are gone with it, until somebody has read that.
  get cleared() {
    return Number(this.noted(CLEARED)) || 0;
  },
  understood() {
    this.note(CLEARED, "0");
  },
  // What would be lost with this page; what can be undone, or the computer has, is no reason to ask anybody.
  get unkept() {
    return this.held.filter((held) => held.name !== "history" && held.name !== "acknowledged");
  },
  get isSafe() {
    return !this.unkept.some((held) => held.late);
  },
  // What a person should know of a store that can't be read.
  get words() {
    const kept = { silent: "This device’s store does not answer", newer: "A newer Eproba wrote on this device" };
    if (this.cleared > 0) {
      const { cleared } = this;
      const count = cleared === 1 ? "1 entry that waited there is" : `${cleared} entries that waited there are`;
      return `This device’s store was emptied: ${count} gone. Type them again.`;
    }
    if (this.state === "newer") return `${kept.newer}: load this page again to see what waits here.`;
    return this.state === "silent" ? `${kept.silent}: what was typed here before may still wait in it.` : "";
  },
};

// Every promise has an end.
function within(promise, ms = ANSWER_MS) {
  let timer = null;
  const late = new Promise((_, reject) => {
    timer = setTimeout(() => reject(new DOMException("No answer.", "TimeoutError")), ms);
  });
  return Promise.race([promise, late]).finally(() => clearTimeout(timer));
}

window.addEventListener("pagehide", () => {
  Device.gone = true;
  Device.visits += 1;
  Device.close();
});
window.addEventListener("pageshow", () => {
  Device.gone = false;
});
