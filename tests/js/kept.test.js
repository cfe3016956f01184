import assert from "node:assert/strict";
import { afterEach, test } from "node:test";

import { Shelf } from "./fakes.js";
import { forget, keep, keptText, keptValue, readValue } from "../../mirvo/web/static/js/kept.js";


const refusing = () => {
  throw new Error("the browser forbids it");
};

afterEach(() => {
  delete globalThis.localStorage;
});

test("what is kept comes back, and is gone once forgotten", () => {
  globalThis.localStorage = new Shelf();
  assert.equal(keep("a", '{"b": 1}'), true);
  assert.deepEqual(keptValue("a"), { b: 1 });
  forget("a");
  assert.equal(keptText("a"), null);
});

test("what nobody can read is as good as nothing", () => {
  globalThis.localStorage = new Shelf();
  for (const text of ['{"b": 1', "undefined", "", "\u0000"]) {
    keep("a", text);
    assert.equal(keptValue("a"), null, text);
  }
  assert.equal(readValue(null), null);
});

test("a browser that forbids storage breaks nothing", () => {
  Object.defineProperty(globalThis, "localStorage", { get: refusing, configurable: true });
  assert.equal(keptText("a"), null);
  assert.equal(keptValue("a"), null);
  assert.equal(keep("a", "1"), false);
  forget("a");
});

test("a full browser says that it kept nothing", () => {
  globalThis.localStorage = { ...new Shelf(), setItem: refusing };
  assert.equal(keep("a", "1"), false);
});
