/* Entries on their way: kept in this browser before they are sent, until the server has them. */

import { keptUnder, keyOf } from "../studio.js";

const PAUSE_MS = 60;
const RETRY_MS = 2500;

export const newName = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

export class Queue extends EventTarget {
  constructor(bench) {
    super();
    this.bench = bench;
    this.key = keyOf(`entries-${bench}`);
    // The last two are what former versions of this page could not hand over.
    this.entries = JSON.parse(keptUnder(`entries-${bench}`, `mirvo-entries-${bench}`, `mirvo-taps-${bench}`) ?? "[]");
    this.#store();
    this.busy = false;
    this.timer = null;
  }

  get waiting() {
    return this.entries.length;
  }

  push(field, value) {
    this.entries.push({ id: newName(), field, value, at: new Date().toISOString() });
    this.#store();
    this.#say(this.lost ? "lost" : "waiting");
    this.#schedule(PAUSE_MS);
  }

  start() {
    if (this.entries.length) this.#schedule(0);
  }

  #schedule(wait) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.#send(), wait);
  }

  async #send() {
    if (this.busy || !this.entries.length) return;
    this.busy = true;
    const sent = this.entries.slice(0, 200);
    try {
      const answer = await fetch(`/bench-sessions/${this.bench}/entries`, {
        method: "POST",
        headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: JSON.stringify({ entries: sent }),
      });
      if (!answer.ok) throw new Error("not taken");
      const answered = await answer.json();
      const done = new Set([...answered.kept, ...answered.refused.map((one) => one.id)]);
      this.entries = this.entries.filter((one) => !done.has(one.id));
      this.lost = false;
      this.#store();
      for (const one of answered.refused) this.#tell("refused", { ...one, entry: sent.find((entry) => entry.id === one.id) });
      if (!this.entries.length) this.#tell("parts", answered.parts);
      this.#say(this.entries.length ? "waiting" : "kept");
    } catch {
      this.lost = true;
      this.#say("lost");
    }
    this.busy = false;
    if (this.entries.length) this.#schedule(this.lost ? RETRY_MS : PAUSE_MS);
  }

  #store() {
    try {
      if (this.entries.length) localStorage.setItem(this.key, JSON.stringify(this.entries));
      else localStorage.removeItem(this.key);
    } catch {
      /* storage may be full or forbidden; the page still holds the entries */
    }
  }

  #say(state) {
    this.#tell("state", { state, waiting: this.entries.length });
  }

  #tell(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
