import assert from "node:assert/strict";
import { test } from "node:test";

import { newName } from "../../mirvo/web/static/js/bench_session/queue.js";
import { inOrder } from "../../mirvo/web/static/js/measuring/store.js";

test("marks that say the same are the same, in whatever order their names stand", () => {
  const one = { view: "top", roots: [{ label: "A", path: [[1, 2]] }], front: null };
  const other = { front: null, roots: [{ path: [[1, 2]], label: "A" }], view: "top" };
  assert.equal(inOrder(one), inOrder(other));
  assert.notEqual(inOrder(one), inOrder({ ...other, front: [1, 1] }));
  assert.notEqual(inOrder([1, 2]), inOrder([2, 1]));
});

test("a name that is not set says nothing", () => {
  assert.equal(inOrder({ a: 1, b: undefined }), inOrder({ a: 1 }));
});

test("names of entries are long and never the same", () => {
  const names = new Set(Array.from({ length: 500 }, newName));
  assert.equal(names.size, 500);
  for (const name of names) assert.match(name, /^[0-9a-f]{24}$/);
});
