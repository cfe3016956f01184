import assert from "node:assert/strict";
import { afterEach, beforeEach, test } from "node:test";

import { Queue } from "../../mirvo/web/static/js/bench_session/queue.js";
import { Shelf, serverThat, until } from "./fakes.js";

const kept = ({ body }) => ({ kept: body.entries.map((one) => one.id), refused: [], parts: { share: "<p>12 %</p>" } });

beforeEach(() => {
  globalThis.localStorage = new Shelf();
});
afterEach(() => {
  delete globalThis.localStorage;
  delete globalThis.fetch;
});

test("an entry is kept here first, and let go once the server has it", async () => {
  const asked = serverThat({ json: kept });
  const queue = new Queue(7);
  queue.push("slice_mm", "12");
  assert.equal(queue.waiting, 1);
  await until(() => queue.waiting === 0);
  assert.equal(asked[0].address, "/bench-sessions/7/entries");
  const [entry] = asked[0].body.entries;
  assert.deepEqual([entry.field, entry.value], ["slice_mm", "12"]);
  assert.ok(entry.id && entry.at && asked[0].body.sent_at);
});

test("parts of the page come with the last answer", async () => {
  serverThat({ json: kept });
  const queue = new Queue(7);
  const parts = [];
  queue.addEventListener("parts", ({ detail }) => parts.push(detail));
  queue.push("a", 1);
  queue.push("b", 2);
  await until(() => parts.length);
  assert.deepEqual(parts, [{ share: "<p>12 %</p>" }]);
});

test("out of reach entries stay, and another page of the session hands them over", async () => {
  serverThat(new TypeError("no network"));
  const queue = new Queue(7);
  queue.push("note", "roots dry");
  await until(() => queue.lost);
  assert.equal(queue.waiting, 1);
  clearTimeout(queue.timer);
  const asked = serverThat({ json: kept });
  const later = new Queue(7);
  assert.equal(later.waiting, 1);
  later.start();
  await until(() => later.waiting === 0);
  assert.equal(asked[0].body.entries[0].value, "roots dry");
});

test("entries of another session are not touched", () => {
  serverThat(new TypeError("no network"));
  const [one, other] = [new Queue(7), new Queue(8)];
  one.push("a", 1);
  clearTimeout(one.timer);
  assert.deepEqual([one.waiting, other.waiting], [1, 0]);
});

test("a refused entry is told with what was entered, and does not stay", async () => {
  serverThat({ json: ({ body }) => ({ kept: [], refused: [{ id: body.entries[0].id, message: "no number" }], parts: {} }) });
  const queue = new Queue(7);
  const refused = [];
  queue.addEventListener("refused", ({ detail }) => refused.push(detail));
  queue.push("slice_mm", "thumb");
  await until(() => refused.length);
  assert.equal(refused[0].entry.value, "thumb");
  assert.equal(queue.waiting, 0);
});

test("a server that breaks is no reason to let go of anything", async () => {
  serverThat({ status: 500, json: { reason: "The drive is full." } });
  const queue = new Queue(7);
  queue.push("a", 1);
  await until(() => queue.lost);
  clearTimeout(queue.timer);
  assert.equal(queue.waiting, 1);
  assert.equal(queue.why, "The server could not keep it. The drive is full.");
});

test("a browser without room holds entries in the page", async () => {
  globalThis.localStorage.setItem = () => {
    throw new Error("full");
  };
  const asked = serverThat({ json: kept });
  const queue = new Queue(7);
  queue.push("a", 1);
  queue.push("b", 2);
  assert.equal(queue.waiting, 2);
  await until(() => queue.waiting === 0);
  assert.equal(asked.flatMap((one) => one.body.entries).length, 2);
});

test("what somebody else left under its name is no list and counts as nothing", () => {
  globalThis.localStorage.setItem("mirvo--entries-7", '{"not": "a list"}');
  assert.equal(new Queue(7).waiting, 0);
});

test("what a former version could not hand over is taken along", () => {
  globalThis.localStorage.setItem("mirvo-taps-7", JSON.stringify([{ id: "x", field: "a", value: 1 }]));
  const queue = new Queue(7);
  assert.equal(queue.waiting, 1);
  assert.equal(globalThis.localStorage.getItem("mirvo-taps-7"), null);
});
