import assert from "node:assert/strict";
import { test } from "node:test";

import { freeLetter, holds, ontoOutline, outward, ownerOf, put, putTrunk, smooth } from "../../mirvo/web/static/js/measuring/geometry.js";

const SQUARE = [[0, 0], [10, 0], [10, 10], [0, 10]];

test("a new root bears the first letter at hand that is free", () => {
  assert.equal(freeLetter([{ label: "A" }, { label: "C" }], ["A", "B", "C", "D"]), "B");
});

test("an outline holds what lies within it", () => {
  assert.equal(holds(SQUARE, [5, 5]), true);
  assert.equal(holds(SQUARE, [15, 5]), false);
});

test("the nearest place on an outline lies on its side", () => {
  assert.deepEqual(ontoOutline(SQUARE, [5, -3]), { away: 3, point: [5, 0] });
});

test("a path drawn inward is turned outward", () => {
  const trunk = { outline: SQUARE };
  assert.deepEqual(outward([[40, 5], [25, 5], [11, 5]], [trunk]), [[11, 5], [25, 5], [40, 5]]);
});

test("a trunk over another takes its place, one beside it is a second", () => {
  const beside = { outline: SQUARE.map(([x, y]) => [x + 50, y]) };
  const marks = { trunk: { outline: SQUARE } };
  putTrunk(marks, { outline: SQUARE.map(([x, y]) => [x + 1, y]) });
  assert.equal(marks.trunk.outline[0][0], 1);
  putTrunk(marks, beside);
  assert.equal(marks.trunk, null);
  assert.equal(marks.trunks.length, 2);
});

test("a base width set by hand strays no more than a click does", () => {
  const marks = { roots: [{ base_width: [[0, 0], [1, 1]], base_width_sd_px: 3, points_sd_px: 2, base_sd_px: 1 }] };
  put(marks, "roots/0/base_width/1", [4, 4]);
  assert.deepEqual(marks.roots[0], { base_width: [[0, 0], [4, 4]] });
});

test("a tip set by hand strays no more than a click does, another point changes nothing", () => {
  const marks = { roots: [{ path: [[0, 0], [5, 5], [9, 9]], points_sd_px: 2, tip_sd_px: 8 }] };
  put(marks, "roots/0/path/1", [4, 5]);
  assert.equal(marks.roots[0].tip_sd_px, 8);
  put(marks, "roots/0/path/2", [9, 8]);
  assert.deepEqual(marks.roots[0], { path: [[0, 0], [4, 5], [9, 8]], points_sd_px: 2 });
});

test("a point's address says which mark it belongs to", () => {
  assert.equal(ownerOf("roots/2/path/3"), "roots/2");
  assert.equal(ownerOf("ball/wood/1/0"), "ball/wood/1");
  assert.equal(ownerOf("trunk/outline/4"), "trunk");
});

test("a smooth outline runs through its points and is as round as what was clicked", () => {
  const clicks = Array.from({ length: 8 }, (_, i) => [50 * Math.sin((i * Math.PI) / 4), 50 * Math.cos((i * Math.PI) / 4)]);
  const curve = smooth(clicks);
  assert.equal(curve.length, 96);
  for (const [x, y] of curve) assert.ok(Math.abs(Math.hypot(x, y) - 50) < 0.2);
  for (const [x, y] of clicks) assert.ok(curve.some(([a, b]) => Math.hypot(a - x, b - y) < 1e-9));
});
