/* The marks, their history, and keeping them: every change goes to the server, one request at
   a time; while it cannot be reached they stay in this browser and are handed over later. */

const PAUSE_MS = 80;
const RETRY_MS = 3000;

export class Store extends EventTarget {
  constructor(state) {
    super();
    this.photo = state.photo;
    this.size = [state.width, state.height];
    this.revision = state.revision;
    this.marks = state.marks;
    this.elsewhere = state.elsewhere;
    this.past = [];
    this.future = [];
    this.dirty = false;
    this.busy = false;
    this.blocked = false;
    this.timer = null;
    this.#recover();
    window.addEventListener("beforeunload", () => this.dirty && this.#keepHere());
  }

  get #key() {
    return `mirvo-marks-${this.photo}`;
  }

  /** Apply a change. Changes with the same `stroke` (one drag) count as one step to undo. */
  change(edit, stroke = null) {
    const before = structuredClone(this.marks);
    edit(this.marks);
    if (!stroke || stroke !== this.stroke) this.past.push(before);
    this.stroke = stroke;
    if (this.past.length > 300) this.past.shift();
    this.future = [];
    this.#changed();
  }

  endStroke() {
    this.stroke = null;
  }

  undo() {
    this.#step(this.past, this.future);
  }

  redo() {
    this.#step(this.future, this.past);
  }

  #step(from, onto) {
    if (!from.length) return;
    onto.push(structuredClone(this.marks));
    this.marks = from.pop();
    this.stroke = null;
    this.#changed();
  }

  #changed() {
    this.dirty = true;
    if (!this.lost) this.#say("waiting", "Keeping …");
    this.dispatchEvent(new Event("change"));
    this.#schedule(PAUSE_MS);
  }

  #schedule(wait) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.#send(), wait);
  }

  async #send() {
    if (this.busy || this.blocked || !this.dirty) return;
    this.busy = true;
    this.dirty = false;
    this.#say("waiting", "Keeping …");
    try {
      const answer = await fetch(`/photos/${this.photo}/marks`, {
        method: "PUT",
        headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: JSON.stringify({ revision: this.revision, marks: this.marks }),
      });
      await this.#answered(answer);
    } catch {
      this.dirty = true;
      this.#keepHere();
      this.#say("lost", "The server cannot be reached. Your marks are kept in this browser and handed over when it is back.");
    }
    this.busy = false;
    if (this.dirty) this.#schedule(this.lost ? RETRY_MS : PAUSE_MS);
  }

  async #answered(answer) {
    const said = await answer.json();
    if (answer.ok) {
      this.revision = said.revision;
      this.elsewhere = said.elsewhere;
      this.lost = false;
      if (!this.dirty) {
        localStorage.removeItem(this.#key);
        this.#say("kept", "All marks are kept.");
      }
      this.dispatchEvent(new CustomEvent("figures", { detail: said }));
      return;
    }
    this.dirty = true;
    this.#keepHere();
    this.blocked = answer.status === 409 || answer.status === 422;
    this.#say("lost", said.message ?? "The server could not keep the last change; it stays in this browser.");
  }

  #say(state, text) {
    this.lost = state === "lost";
    this.dispatchEvent(new CustomEvent("saving", { detail: { state, text } }));
  }

  #keepHere() {
    try {
      localStorage.setItem(this.#key, JSON.stringify({ revision: this.revision, marks: this.marks }));
    } catch {
      /* storage may be full or forbidden; the page still holds the marks */
    }
  }

  #recover() {
    const kept = JSON.parse(localStorage.getItem(this.#key) ?? "null");
    if (!kept) return;
    localStorage.removeItem(this.#key);
    if (kept.revision !== this.revision) return;
    this.past.push(this.marks);
    this.marks = kept.marks;
    this.dirty = true;
    this.#schedule(0);
  }
}
