// Keeps what was typed on this device until the server has it: IndexedDB, ids of our own, sent again and again.
// Works on plain http in the home network: no service worker, no randomUUID.
"use strict";

const Keeper = {
  database: null,
  memory: [], // used only where the browser gives no IndexedDB
  sending: false,

  newId() {
    return [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  },

  async open() {
    try {
      this.database = await new Promise((resolve, reject) => {
        const request = indexedDB.open("eproba", 1);
        request.onupgradeneeded = () => request.result.createObjectStore("typed", { keyPath: "n", autoIncrement: true });
        request.onsuccess = () => resolve(request.result);
        request.onerror = () => reject(request.error);
      });
    } catch {
      this.database = null;
    }
    return this.database !== null;
  },

  run(mode, work) {
    return new Promise((resolve, reject) => {
      const transaction = this.database.transaction("typed", mode, { durability: "strict" });
      const request = work(transaction.objectStore("typed"));
      transaction.oncomplete = () => resolve(request.result);
      transaction.onerror = () => reject(transaction.error);
    });
  },

  async add(entry) {
    if (this.database) return this.run("readwrite", (store) => store.add(entry));
    this.memory.push({ ...entry, n: this.memory.length + 1 });
  },

  async waiting(url) {
    const all = this.database ? await this.run("readonly", (store) => store.getAll()) : this.memory;
    return url ? all.filter((entry) => entry.url === url) : all;
  },

  async remove(n) {
    if (this.database) return this.run("readwrite", (store) => store.delete(n));
    this.memory = this.memory.filter((entry) => entry.n !== n);
  },

  // Send all that waits for one address, in the order typed. Gives the server's answers, or throws.
  async send(url, tokenUrl) {
    const entries = await this.waiting(url);
    if (entries.length === 0) return [];
    const fresh = await fetch(tokenUrl, { headers: { Accept: "application/json" }, cache: "no-store" });
    if (!fresh.ok) throw Object.assign(new Error("token"), { status: fresh.status });
    const { token } = await fresh.json();
    const response = await fetch(url, {
      method: "POST",
      headers: { "Content-Type": "application/json", Accept: "application/json", "X-CSRFToken": token },
      body: JSON.stringify({ typed: entries.map((entry) => entry.op) }),
    });
    if (!response.ok) throw Object.assign(new Error("send"), { status: response.status });
    const { answers } = await response.json();
    for (const entry of entries) await this.remove(entry.n);
    return answers.map((answer, i) => ({ ...answer, op: entries[i].op }));
  },
};
