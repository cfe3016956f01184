/* What a browser gives the modules under test, as little of it as they use. */

/** Storage as a browser has it. */
export class Shelf {
  #held = new Map();
  getItem = (name) => this.#held.get(name) ?? null;
  setItem = (name, text) => this.#held.set(name, text);
  removeItem = (name) => this.#held.delete(name);
}

/** An element with attributes, a dataset and listeners. */
export class Element extends EventTarget {
  constructor(dataset = {}, fields = {}) {
    super();
    this.dataset = dataset;
    this.attributes = {};
    this.style = {};
    this.hidden = false;
    this.textContent = "";
    this.found = {};
    Object.assign(this, fields);
  }

  setAttribute(name, value) {
    this.attributes[name] = String(value);
  }

  getAttribute(name) {
    return this.attributes[name] ?? null;
  }

  querySelector(selector) {
    return this.found[selector] ?? null;
  }

  querySelectorAll(selector) {
    return this.found[selector] ?? [];
  }

  closest() {
    return this;
  }
}

/** Answers of a server in the order they are asked for; what was asked is kept. */
export function serverThat(...answers) {
  const asked = [];
  globalThis.fetch = async (address, how = {}) => {
    asked.push({ address, method: how.method ?? "GET", body: how.body ? JSON.parse(how.body) : null });
    const next = answers.length > 1 ? answers.shift() : answers[0];
    if (next instanceof Error) throw next;
    const { status = 200, json = {} } = next;
    return { ok: status < 400, status, json: async () => (typeof json === "function" ? json(asked.at(-1)) : json) };
  };
  return asked;
}

/** Until a condition holds, two seconds at most. */
export async function until(holds) {
  for (let turn = 0; turn < 400 && !holds(); turn += 1) await new Promise((go) => setTimeout(go, 5));
  if (!holds()) throw new Error("it never came to that");
}
