/* Taps on their way: kept in this browser before they are sent, until the server has them. */

const PAUSE_MS = 60;
const RETRY_MS = 2500;

export const newName = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

export class Queue extends EventTarget {
  constructor(visit) {
    super();
    this.visit = visit;
    this.key = `mirvo-taps-${visit}`;
    this.taps = JSON.parse(localStorage.getItem(this.key) ?? "[]");
    this.busy = false;
    this.timer = null;
  }

  get waiting() {
    return this.taps.length;
  }

  push(field, value) {
    this.taps.push({ id: newName(), field, value, at: new Date().toISOString() });
    this.#store();
    this.#say(this.lost ? "lost" : "waiting");
    this.#schedule(PAUSE_MS);
  }

  start() {
    if (this.taps.length) this.#schedule(0);
  }

  #schedule(wait) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.#send(), wait);
  }

  async #send() {
    if (this.busy || !this.taps.length) return;
    this.busy = true;
    const sent = this.taps.slice(0, 200);
    try {
      const answer = await fetch(`/visits/${this.visit}/taps`, {
        method: "POST",
        headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: JSON.stringify({ taps: sent }),
      });
      if (!answer.ok) throw new Error("not taken");
      const told = await answer.json();
      const done = new Set([...told.kept, ...told.refused.map((one) => one.id)]);
      this.taps = this.taps.filter((one) => !done.has(one.id));
      this.lost = false;
      this.#store();
      for (const one of told.refused) this.#tell("refused", { ...one, tap: sent.find((tap) => tap.id === one.id) });
      if (!this.taps.length) this.#tell("parts", told.parts);
      this.#say(this.taps.length ? "waiting" : "kept");
    } catch {
      this.lost = true;
      this.#say("lost");
    }
    this.busy = false;
    if (this.taps.length) this.#schedule(this.lost ? RETRY_MS : PAUSE_MS);
  }

  #store() {
    try {
      if (this.taps.length) localStorage.setItem(this.key, JSON.stringify(this.taps));
      else localStorage.removeItem(this.key);
    } catch {
      /* storage may be full or forbidden; the page still holds the taps */
    }
  }

  #say(state) {
    this.#tell("state", { state, waiting: this.taps.length });
  }

  #tell(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
