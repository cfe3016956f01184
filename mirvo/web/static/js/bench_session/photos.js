/* Photos on their way: kept in this browser's database until the server has them. */

import { newName } from "./queue.js";

const RETRY_MS = 4000;
const STORE = "photos";

function opened() {
  return new Promise((done, failed) => {
    const asked = indexedDB.open("mirvo-bench", 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE, { keyPath: "id" });
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  });
}

function inStore(mode, doing) {
  return opened().then((base) => new Promise((done, failed) => {
    const asked = doing(base.transaction(STORE, mode).objectStore(STORE));
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  }));
}

export class Photos extends EventTarget {
  constructor(bench) {
    super();
    this.bench = bench;
    this.busy = false;
    this.here = [];
  }

  async add(step, file) {
    const photo = { id: newName(), bench: this.bench, step, name: file.name, file };
    this.here.push(photo);
    await inStore("readwrite", (store) => store.put(photo)).catch(() => {});
    this.send();
  }

  async start() {
    const kept = await inStore("readonly", (store) => store.getAll()).catch(() => []);
    this.here.push(...kept.filter((one) => one.bench === this.bench));
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
      let answer;
      try {
        answer = await fetch(`/bench-sessions/${this.bench}/photos`, { method: "POST", body, headers: { Accept: "application/json" } });
      } catch {
        this.#say(photo.step, `${this.here.length} photo${this.here.length > 1 ? "s" : ""} kept here, handed over when the server is back.`);
        setTimeout(() => { this.busy = false; this.send(); }, RETRY_MS);
        return;
      }
      const told = await answer.json().catch(() => ({}));
      this.here.shift();
      await inStore("readwrite", (store) => store.delete(photo.id)).catch(() => {});
      this.#say(photo.step, answer.ok ? "Photo kept." : `Not taken: ${told.message ?? "this is no photo"}`);
      if (answer.ok) this.dispatchEvent(new CustomEvent("kept", { detail: { step: photo.step, photo: told.photo } }));
    }
    this.busy = false;
  }

  #say(step, text) {
    this.dispatchEvent(new CustomEvent("said", { detail: { step, text } }));
  }
}
