/* The marks, their history, and keeping them: every change goes to the server, one request at
   a time; while it cannot be reached they stay in this browser and are handed over later. */

import { SERVER_FAILED } from "../answers.js";
import { forget, inWindow, keep, keptValue, readValue } from "../kept.js";
import { keptUnder, keyOf } from "../studio.js";

const PAUSE_MS = 80;
const RETRY_MS = 3000;
const MAX_UNANSWERED = 20;
const CHANGED_ELSEWHERE = 409;
const REFUSED = 422;
const BLOCKING = [CHANGED_ELSEWHERE, REFUSED];
const STEPS_KEPT = 60;

/** One text for marks that say the same, in whatever order their names stand. */
export function inOrder(value) {
  if (Array.isArray(value)) return `[${value.map(inOrder).join()}]`;
  if (value === null || typeof value !== "object") return JSON.stringify(value);
  const names = Object.keys(value).filter((name) => value[name] !== undefined).sort();
  return `{${names.map((name) => `${JSON.stringify(name)}:${inOrder(value[name])}`).join()}}`;
}

export class Store extends EventTarget {
  constructor(state) {
    super();
    this.photo = state.photo;
    this.size = [state.width, state.height];
    this.revision = state.revision;
    /** @type {import("./marks").Marks} */
    this.marks = state.marks;
    this.letters = state.letters;
    this.past = [];
    this.future = [];
    this.dirty = false;
    this.busy = false;
    this.blocked = 0;
    this.timer = null;
    this.leaving = false;
    this.unanswered = [];
    this.#recallSteps();
    this.#recover();
    for (const leaving of ["pagehide", "visibilitychange"]) {
      window.addEventListener(leaving, () => {
        this.#keepSteps();
        if (this.dirty || this.busy) this.#keepHere();
      });
    }
    window.addEventListener("pagehide", () => {
      this.leaving = true;
    });
    window.addEventListener("pageshow", () => {
      this.leaving = false;
    });
  }

  get #stepsKey() {
    return keyOf(`steps-${this.photo}`);
  }

  /** What can be undone outlives a reload of this window, as long as the marks are the same. */
  #keepSteps() {
    const [past, future] = [this.past.slice(-STEPS_KEPT), this.future.slice(-STEPS_KEPT)];
    const { revision, marks } = this;
    // Without room for it there is only no undo after a reload.
    keep(this.#stepsKey, JSON.stringify({ revision, at: inOrder(marks), past, future }), inWindow);
  }

  #recallSteps() {
    const kept = keptValue(this.#stepsKey, inWindow);
    if (kept?.at === inOrder(this.marks) && Array.isArray(kept.past) && Array.isArray(kept.future)) {
      this.past = kept.past;
      this.future = kept.future;
    } else if (kept?.revision > this.revision) {
      // Out of reach, the next change is refused as one made elsewhere, and nothing is lost.
      this.#catchUp().catch(() => {});
    }
  }

  /** This page was written before the last one had its answer: take what was kept since. */
  async #catchUp() {
    const there = await (await fetch(this.#place, { headers: { Accept: "application/json" } })).json();
    if (this.dirty || this.busy || there.revision <= this.revision) return;
    this.revision = there.revision;
    this.marks = there.marks;
    this.#recallSteps();
    this.dispatchEvent(new Event("renewed"));
    this.dispatchEvent(new Event("change"));
    // Handed over once more, as the answer brings their figures.
    this.dirty = true;
    this.#schedule(0);
  }

  get #key() {
    return keyOf(`marks-${this.photo}`);
  }

  get #place() {
    return `/photos/${this.photo}/marks`;
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
    if (this.blocked === REFUSED) this.blocked = 0;
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
    const marks = JSON.stringify(this.marks);
    this.#awaitAnswerOf(inOrder(this.marks));
    this.#say("waiting", "Keeping …");
    try {
      const answer = await fetch(this.#place, {
        method: "PUT",
        headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: `{"revision":${this.revision},"marks":${marks}}`,
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

  /** Of marks whose answer may be lost the first are the likeliest to have arrived. */
  #awaitAnswerOf(marks) {
    if (!this.unanswered.includes(marks)) this.unanswered.push(marks);
    if (this.unanswered.length > MAX_UNANSWERED) this.unanswered.splice(1, 1);
  }

  async #answered(answer) {
    const said = await answer.json();
    if (answer.ok) {
      this.revision = said.revision;
      this.letters = said.letters;
      this.unanswered = [];
      this.lost = false;
      if (!this.dirty) {
        // The next page may have been written before this answer came: it needs what was kept here.
        if (!this.leaving) forget(this.#key);
        this.#say("kept", "All marks are kept.");
      }
      this.dispatchEvent(new CustomEvent("figures", { detail: said }));
      return;
    }
    this.dirty = true;
    if (answer.status === CHANGED_ELSEWHERE && (await this.#wasOurs())) return;
    this.#keepHere();
    this.blocked = BLOCKING.includes(answer.status) ? answer.status : 0;
    const failed = ["The server could not keep the last change.", said.reason, "It stays in this browser."];
    this.#say("lost", answer.status >= SERVER_FAILED ? failed.filter(Boolean).join(" ") : said.message);
  }

  /** Whether what the server has came from here, its answer lost on the way; then go on from it. */
  async #wasOurs() {
    const there = await (await fetch(this.#place, { headers: { Accept: "application/json" } })).json();
    if (!this.unanswered.includes(inOrder(there.marks))) return false;
    this.revision = there.revision;
    return true;
  }

  #say(state, text) {
    this.lost = state === "lost";
    this.dispatchEvent(new CustomEvent("saving", { detail: { state, text } }));
  }

  #keepHere() {
    const { revision, unanswered, marks } = this;
    // Without room for it the page still holds the marks.
    keep(this.#key, JSON.stringify({ revision, unanswered, marks }));
  }

  /** Take up what the last visit could not hand over, unless others changed the marks since. */
  #recover() {
    const kept = readValue(keptUnder(`marks-${this.photo}`, `mirvo-marks-${this.photo}`));
    if (kept === null) return;
    forget(this.#key);
    // What nobody can read any more is no reason not to open the desk.
    if (typeof kept.marks !== "object" || kept.marks === null) return;
    const unanswered = Array.isArray(kept.unanswered) ? kept.unanswered : [];
    if (kept.revision !== this.revision && !unanswered.includes(inOrder(this.marks))) {
      this.future.push(kept.marks);
      queueMicrotask(() => this.#say("aside", "These marks were changed elsewhere. What this browser had not handed over comes back with Redo."));
      return;
    }
    this.unanswered = unanswered;
    this.past.push(this.marks);
    this.marks = kept.marks;
    this.dirty = true;
    this.#schedule(0);
  }
}
