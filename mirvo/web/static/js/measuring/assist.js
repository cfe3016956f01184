/* Help from the picture: proposed roots as ghosts, traces from a tip, widths and outlines. */

import { sentence } from "../answers.js";
import { stopJob, watchJob } from "../job.js";
import { freeLetter, putTrunk, trunksOf } from "./geometry.js";

const PULL_IT = "This is the trunk as the photo shows it. Drag its points right where it is not; g then looks for its roots.";
const GUESSED = "The trunk itself is hard to see here; it was put where the roots come from. Drag its points right first; g then looks for its roots.";
const LOST = "The server cannot be reached; marks by hand are kept as ever.";


export class Assist extends EventTarget {
  constructor(store) {
    super();
    this.store = store;
    this.ghosts = [];
    this.current = 0;
    this.work = null;
    /* Address of the job that is watched. */
    this.job = null;
  }

  get ghost() {
    return this.ghosts[this.current] ?? null;
  }

  get doubtful() {
    return this.ghosts.filter((one) => one.doubtful).length;
  }

  /** Ask for the trunk where none is drawn, else for roots; messages on the way are told. */
  async propose(height) {
    if (this.work) return;
    if (!trunksOf(this.store.marks).length) {
      await this.#trunk(height);
      return;
    }
    await this.#busy("Looking for roots", async (signal) => {
      const answer = await this.#post("propose", { marks: this.store.marks }, signal);
      const { job } = await answer.json();
      this.job = job;
      const { result } = await watchJob(job, (stage, share) => this.#tell(stage, share));
      this.#offer(result);
    });
  }

  /** Draw the trunk as the photo shows it, to be pulled right. */
  async #trunk(height) {
    await this.#busy("Looking for the trunk", async (signal) => {
      const answer = await this.#post("trunk", { marks: this.store.marks }, signal);
      const { outline, outline_sd_px, follows } = await answer.json();
      this.store.change((marks) => putTrunk(marks, { outline, outline_sd_px, height_mm: height }));
      this.said = follows ? PULL_IT : GUESSED;
    });
    if (trunksOf(this.store.marks).length) this.#makeReady();
  }

  #offer(found) {
    this.ghosts = found;
    this.current = 0;
    this.said = found.length ? "" : "No further roots were seen within 3.4 trunk diameters. Draw the rest by hand.";
  }

  /** Break off what is being worked out. */
  stop() {
    this.work?.abort();
    if (this.job) this.stopping = stopJob(this.job);
  }

  accept() {
    const ghost = this.ghost;
    if (!ghost) return -1;
    this.store.change((marks) => this.#take(marks, ghost));
    this.#drop();
    return this.store.marks.roots.length - 1;
  }

  #take(marks, { path, base_width, points_sd_px, base_sd_px, tip_sd_px }) {
    const label = freeLetter(marks.roots, this.store.letters);
    marks.roots.push({ label, path, base_width, points_sd_px, base_sd_px, tip_sd_px });
  }

  /** Take up all proposals that are not doubtful, as one step; the doubtful ones are left. */
  acceptSure() {
    const sure = this.ghosts.filter((one) => !one.doubtful);
    if (!sure.length) return;
    this.store.change((marks) => {
      for (const ghost of sure) this.#take(marks, ghost);
    });
    this.ghosts = this.ghosts.filter((one) => one.doubtful);
    this.current = 0;
    this.#changed();
  }

  /** It is not offered again, and what was as sure as it is doubted from now on. */
  reject() {
    const { ghost } = this;
    if (!ghost) return;
    this.store.change((marks) => {
      marks.rejected = [...(marks.rejected ?? []), { point: ghost.path[0], confidence: ghost.confidence }];
    });
    for (const one of this.ghosts) one.doubtful ||= one.confidence <= ghost.confidence;
    this.#drop();
  }

  #drop() {
    this.ghosts.splice(this.current, 1);
    if (this.current >= this.ghosts.length) this.current = 0;
    this.#changed();
  }

  /** The next doubtful proposal, any next one when none is doubtful. */
  next() {
    const count = this.ghosts.length;
    for (let step = 1; step <= count; step += 1) {
      const index = (this.current + step) % count;
      if (!this.doubtful || this.ghosts[index].doubtful) {
        this.current = index;
        break;
      }
    }
    this.#changed();
  }

  dismiss() {
    this.ghosts = [];
    this.#changed();
  }

  /** Trace the root that ends at `tip`; it becomes a root at once, to be dragged right. */
  async trace(tip) {
    let index = -1;
    await this.#busy("Tracing the root", async (signal) => {
      const answer = await this.#post("trace", { marks: this.store.marks, tip }, signal);
      const found = await answer.json();
      this.store.change((marks) => marks.roots.push({ label: freeLetter(marks.roots, this.store.letters), ...found }));
      index = this.store.marks.roots.length - 1;
    });
    return index;
  }

  /** Set the base width of a root from the picture. */
  async width(index) {
    const root = this.store.marks.roots[index];
    if (!root) return;
    await this.#busy("Seeking the root's edges", async (signal) => {
      const answer = await this.#post("width", { marks: this.store.marks, path: root.path }, signal);
      const found = await answer.json();
      this.store.change((marks) => Object.assign(marks.roots[index], found));
    });
  }

  /** Draw the ends of a width set by hand to the flanks seen: one more step, to be undone. */
  async flanks(index, name) {
    const { path, [name]: byHand } = this.store.marks.roots[index];
    const answer = await this.#post("flanks", { width: byHand, path }, null).catch(() => null);
    if (!answer) return;
    const { width } = await answer.json();
    const root = this.store.marks.roots?.[index];
    if (JSON.stringify(root?.[name]) !== JSON.stringify(byHand)) return;
    this.store.change((marks) => { marks.roots[index][name] = width; });
  }

  /** Set the trunk's outline from a rough one; whether an edge of the photo runs there. */
  async outline(rough, height) {
    let follows;
    await this.#busy("Seeking the trunk's edge", async (signal) => {
      const answer = await this.#post("outline", { rough }, signal);
      const found = await answer.json();
      const { outline, outline_sd_px } = found;
      follows = found.follows;
      this.store.change((marks) => putTrunk(marks, { outline, outline_sd_px, height_mm: height }));
    });
    if (this.store.marks.calibration && trunksOf(this.store.marks).length) this.#makeReady();
    return follows;
  }

  /** The trunk is there, so roots come next: have the photo set up before they are asked for. */
  #makeReady() {
    this.#post("ready", { marks: this.store.marks }, null).catch(() => {});
  }

  /** Snap one edge of a side view to the silhouette. */
  async edge(name) {
    await this.#busy("Seeking the silhouette", async (signal) => {
      const answer = await this.#post("edge", { rough: this.store.marks[name] }, signal);
      const found = await answer.json();
      this.store.change((marks) => { marks[name] = found.edge; });
    });
  }

  async #post(what, body, signal) {
    const answer = await fetch(`/photos/${this.store.photo}/assist/${what}`, {
      method: "POST",
      headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify(body),
      signal,
    });
    if (answer.ok) return answer;
    throw new Error((await answer.json()).message ?? LOST);
  }

  async #busy(stage, doing) {
    if (this.work) return;
    this.work = new AbortController();
    this.said = "";
    this.#tell(stage, 0.03);
    try {
      await doing(this.work.signal);
    } catch (error) {
      await this.stopping;
      if (this.work.signal.aborted) this.said = "Stopped. Nothing was changed.";
      else this.said = error instanceof TypeError ? LOST : sentence(error.message);
    }
    this.work = this.job = null;
    this.#changed();
  }

  #tell(stage, share) {
    this.dispatchEvent(new CustomEvent("progress", { detail: { stage, share } }));
  }

  #changed() {
    this.dispatchEvent(new Event("change"));
  }
}
