import assert from "node:assert/strict";
import { test } from "node:test";

import { sentence, whyNot } from "../../mirvo/web/static/js/answers.js";
import { decisionOf, findingsOf, isNoNumber, lengthSaid, numberOf, rootEntry, valueOf } from "../../mirvo/web/static/js/bench_session/entries.js";
import { Element } from "./fakes.js";

const typed = (value, dataset = {}) => new Element(dataset, { value });

/** A root of the bench's list. */
function root({ range = null, advised = "", why = "", checked = null, seen = [] } = {}) {
  return new Element({ root: "C" }, {
    found: {
      "input[type=range]": range === null ? null : typed(String(range)),
      'input[value="shorten"]': new Element({ advised }),
      'input[value="remove"]': new Element({ advised: "" }),
      'input[value="keep"]': new Element({ advised: "" }),
      '[name="why:C"]': typed(why),
      "input[type=radio]:checked": checked,
      "[data-seen]": seen,
    },
  });
}

test("a typed number names its unit where the page speaks of inches", () => {
  assert.equal(numberOf(typed("  ")), null);
  assert.equal(numberOf(typed("12")), "12");
  assert.equal(numberOf(typed("2 1/2", { unit: "in" })), "2 1/2 in");
  assert.equal(numberOf(typed("52 mm", { unit: "in" })), "52 mm");
});

test("what is no number is told at once, what is empty is not", () => {
  const number = (value) => isNoNumber(typed(value, { number: "" }));
  assert.deepEqual(["12", "12,5", "2 1/2 in", "-3", ""].map(number), [false, false, false, false, false]);
  assert.deepEqual(["thumb", "12 apples"].map(number), [true, true]);
  assert.equal(isNoNumber(typed("thumb")), false);
});

test("a length reads as the page reads lengths", () => {
  globalThis.document = { documentElement: { dataset: {} } };
  assert.equal(lengthSaid(41.6), 42);
  globalThis.document.documentElement.dataset.units = "inches";
  assert.equal(lengthSaid(50.8), "2.00");
});

test("a field gives what it holds", () => {
  assert.equal(valueOf(new Element({}, { type: "checkbox", checked: true })), true);
  assert.equal(valueOf(typed("board")), "board");
  assert.equal(valueOf(typed("12", { number: "" })), "12");
  const hours = new Element({ hours: "" });
  hours.found["input:checked"] = [typed("3"), typed("7")];
  assert.deepEqual(valueOf(hours), [3, 7]);
});

test("a decision takes the length set, else the advised one, else half", () => {
  assert.equal(decisionOf(root({ range: 70 }), "shorten", 0.5).part.toFixed(2), "0.30");
  assert.equal(decisionOf(root({ advised: "0.4" }), "shorten", 0.5).part, 0.4);
  assert.deepEqual(decisionOf(root({ why: "dead tip" }), "remove", 0.5), { action: "remove", part: 0.5, why: "dead tip" });
});

test("findings say what was seen, and nothing where nothing was", () => {
  const seen = [typed("2", { seen: "feeders" }), typed("dead", { seen: "condition" }), typed("left, apex , ", { seen: "feeds" })];
  assert.deepEqual(findingsOf(root({ seen })), { feeders: 2, condition: "dead", feeds: ["left", "apex"] });
  assert.deepEqual(findingsOf(root({ seen: [typed("", { seen: "feeders" })] })), { feeders: null });
});

test("an entry of a root is named for what it says", () => {
  const item = root({ checked: typed("remove") });
  assert.equal(rootEntry(item, new Element({ seen: "feeders" }), 0.5)[0], "seen:C");
  assert.deepEqual(rootEntry(item, new Element({ waits: "" }, { value: "graft" }), 0.5), ["waits:C", "graft"]);
  assert.deepEqual(rootEntry(item, new Element({ waits: "" }, { value: "" }), 0.5), ["waits:C", null]);
  assert.equal(rootEntry(item, new Element({}, { name: "root:C" }), 0.5)[1].action, "remove");
});

test("a reason alone keeps the root; a length alone says nothing yet", () => {
  assert.equal(rootEntry(root(), new Element({}, { name: "why:C" }), 0.5)[1].action, "keep");
  assert.equal(rootEntry(root(), new Element({}, { name: "keep:C" }), 0.5), null);
});

test("a sentence begins large and ends with a stop", () => {
  assert.equal(sentence("must be a number"), "Must be a number.");
  assert.equal(sentence("Is it so?"), "Is it so?");
});

test("why something was not kept, in the server's words where it has any", async () => {
  const answer = (status, json) => ({ status, json: async () => json });
  assert.equal(await whyNot(null), "The server cannot be reached.");
  assert.equal(await whyNot(answer(500, { reason: "The drive is full." })), "The server could not keep it. The drive is full.");
  assert.equal(await whyNot(answer(422, { message: "no such root" })), "No such root.");
  assert.equal(await whyNot(answer(500, { message: "secret" })), "The server could not keep it.");
  assert.equal(await whyNot({ status: 502, json: async () => Promise.reject(new Error("no JSON")) }), "The server could not keep it.");
});
