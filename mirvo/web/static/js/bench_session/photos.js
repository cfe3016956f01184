/* Photos on their way: kept in this browser's database until the server has them. */

import { createStore, del, set, values } from "../../vendor/idb-keyval.js";
import { whyNot } from "../answers.js";
import { studio } from "../studio.js";
import { newName } from "./queue.js";

const RETRY_MS = 4000;
/* Answers that say for good that this will never be kept; after any other it is tried again. */
const NEVER = [400, 404, 409, 413, 415, 422];
const kept = createStore("mirvo-bench", "photos");
// What a former version of this page could not hand over.
const FORMER = "mirvo-visits";

export class Photos extends EventTarget {
  constructor(bench) {
    super();
    this.bench = bench;
    this.busy = false;
    this.lost = false;
    this.here = [];
  }

  async add(step, file) {
    const photo = { id: newName(), studio, bench: this.bench, step, name: file.name, file };
    this.here.push(photo);
    this.#tell("state");
    await set(photo.id, photo, kept).catch(() => {});
    this.send();
  }

  async start() {
    const waiting = await values(kept).catch(() => []);
    // Those of a former version do not say of which studio they are.
    this.here.push(...waiting.filter((one) => one.bench === this.bench && (one.studio ?? studio) === studio));
    for (const { visit, ...photo } of await former()) {
      if (visit === this.bench) this.here.push({ ...photo, bench: visit });
    }
    if (this.here.length) this.send();
  }

  get waiting() {
    return this.here.length;
  }

  async send() {
    if (this.busy) return;
    this.busy = true;
    while (this.here.length) {
      const photo = this.here[0];
      this.#say(photo.step, "Photo on its way …");
      const body = new FormData();
      body.append("id", photo.id);
      body.append("step", photo.step);
      body.append("photo", photo.file, photo.name);
      const answer = await fetch(`/bench-sessions/${this.bench}/photos`, {
        method: "POST",
        body,
        headers: { Accept: "application/json" },
      }).catch(() => null);
      if (!answer || !(answer.ok || NEVER.includes(answer.status))) {
        const count = this.here.length;
        this.why = await whyNot(answer);
        this.#say(photo.step, `${this.why} ${count} photo${count > 1 ? "s" : ""} kept on this device.`);
        this.lost = true;
        this.#tell("state");
        setTimeout(() => { this.busy = false; this.send(); }, RETRY_MS);
        return;
      }
      const said = await answer.json().catch(() => ({}));
      this.here.shift();
      await del(photo.id, kept).catch(() => {});
      this.#say(photo.step, answer.ok ? "Photo kept." : `Not kept: ${said.message ?? "this is no photo"}`);
      if (answer.ok) this.#tell("kept", { step: photo.step, photo: said.photo });
      this.lost = false;
      this.#tell("state");
    }
    this.busy = false;
  }

  #say(step, text) {
    this.#tell("said", { step, text });
  }

  #tell(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}

/** Photos that lie in the database of a former version, taken out of it; none where there is none. */
async function former() {
  const bases = (await indexedDB.databases?.().catch(() => [])) ?? [];
  if (!bases.some(({ name }) => name === FORMER)) return [];
  const photos = await values(createStore(FORMER, "photos")).catch(() => []);
  indexedDB.deleteDatabase(FORMER);
  return photos;
}
