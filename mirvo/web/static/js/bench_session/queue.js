/* Entries on their way: kept in this browser before they are sent, until the server has them. */

import { UNREACHED, whyNot } from "../answers.js";
import { forget, keep, keptValue, readValue } from "../kept.js";
import { keptUnder, keyOf } from "../studio.js";

const PAUSE_MS = 60;
const RETRY_MS = 2500;

export const newName = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

/** What is kept as a list; an empty one where it is none. */
const listed = (found) => (Array.isArray(found) ? found : []);

/** Entries of one session; two windows with it open share them, so either hands over all. */
export class Queue extends EventTarget {
  constructor(bench) {
    super();
    this.bench = bench;
    this.key = keyOf(`entries-${bench}`);
    // The last two are what former versions of this page could not hand over.
    const before = keptUnder(`entries-${bench}`, `mirvo-entries-${bench}`, `mirvo-taps-${bench}`);
    // What this browser has no room for is held by the page alone.
    this.unstored = [];
    this.#keep(listed(readValue(before)));
    this.busy = false;
    this.lost = false;
    this.timer = null;
  }

  get entries() {
    return [...this.#stored(), ...this.unstored];
  }

  get waiting() {
    return this.entries.length;
  }

  push(field, value) {
    this.#keep([...this.#stored(), { id: newName(), field, value, at: new Date().toISOString() }]);
    this.#tell("state");
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
    if (this.busy) return;
    const sent = this.entries.slice(0, 200);
    if (!sent.length) {
      // Another window has handed them over meanwhile.
      this.lost = false;
      this.#tell("state");
      return;
    }
    this.busy = true;
    this.why = UNREACHED;
    try {
      const answer = await fetch(`/bench-sessions/${this.bench}/entries`, {
        method: "POST",
        headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: JSON.stringify({ entries: sent, sent_at: new Date().toISOString() }),
      });
      if (!answer.ok) {
        this.why = await whyNot(answer);
        throw new Error(this.why);
      }
      const answered = await answer.json();
      const done = new Set([...answered.kept, ...answered.refused.map((one) => one.id)]);
      this.unstored = this.unstored.filter((one) => !done.has(one.id));
      this.#keep(this.#stored().filter((one) => !done.has(one.id)));
      this.lost = false;
      for (const one of answered.refused) this.#tell("refused", { ...one, entry: sent.find((entry) => entry.id === one.id) });
      if (!this.entries.length) this.#tell("parts", answered.parts);
      this.#tell("state");
    } catch {
      this.lost = true;
      this.#tell("state");
    }
    this.busy = false;
    if (this.entries.length) this.#schedule(this.lost ? RETRY_MS : PAUSE_MS);
  }

  #stored() {
    return listed(keptValue(this.key));
  }

  #keep(entries) {
    if (!entries.length) forget(this.key);
    else if (!keep(this.key, JSON.stringify(entries))) {
      const known = new Set(this.entries.map((one) => one.id));
      this.unstored.push(...entries.filter((one) => !known.has(one.id)));
    }
  }

  #tell(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
