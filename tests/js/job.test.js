import assert from "node:assert/strict";
import { afterEach, test } from "node:test";

import { sendWatched, stopJob, watchJob, watchPage } from "../../mirvo/web/static/js/job.js";
import { Element, serverThat, until } from "./fakes.js";

/** A stream of events that says what the test lets it say. */
class Stream {
  static CLOSED = 2;
  static last = null;

  constructor(address) {
    this.address = address;
    this.readyState = 1;
    Stream.last = this;
  }

  say(state) {
    this.onmessage({ data: JSON.stringify(state) });
  }

  close() {
    this.readyState = Stream.CLOSED;
  }
}

globalThis.EventSource = Stream;
afterEach(() => {
  delete globalThis.fetch;
  delete globalThis.window;
});

test("stages are told on the way, and the last state ends it", async () => {
  const told = [];
  const watched = watchJob("/jobs/a", (stage, share) => told.push([stage, share]));
  assert.equal(Stream.last.address, "/jobs/a/events");
  Stream.last.say({ stage: "", share: 0, done: false });
  Stream.last.say({ stage: "Following the roots", share: 0.7, done: false });
  Stream.last.say({ stage: "", share: 1, done: true, page: "/photos/1/desk", result: [1] });
  assert.deepEqual((await watched).result, [1]);
  assert.deepEqual(told, [["Getting ready", 0], ["Following the roots", 0.7]]);
  assert.equal(Stream.last.readyState, Stream.CLOSED);
});

test("a job without a result says why", async () => {
  const watched = watchJob("/jobs/a", () => {});
  Stream.last.say({ done: true, problem: "Mark the calibration first." });
  await assert.rejects(watched, /Mark the calibration first/);
});

test("a stream that breaks is waited for, but not for ever", async () => {
  const watched = watchJob("/jobs/a", () => {});
  Stream.last.onerror();
  Stream.last.onerror();
  Stream.last.say({ stage: "on again", share: 0.5, done: false });
  for (let turn = 0; turn < 3; turn += 1) Stream.last.onerror();
  await assert.rejects(watched, TypeError);
});

test("a job nobody knows any more is given up at once", async () => {
  const watched = watchJob("/jobs/gone", () => {});
  Stream.last.close();
  Stream.last.onerror();
  await assert.rejects(watched, /cannot be reached/);
});

test("stopping asks the server, and a server out of reach breaks nothing", async () => {
  const asked = serverThat({ status: 204 });
  await stopJob("/jobs/a");
  assert.deepEqual([asked[0].address, asked[0].method], ["/jobs/a/stop", "POST"]);
  serverThat(new TypeError("no network"));
  await stopJob("/jobs/a");
});

/** A form with the panel that shows how far its work is. */
function watchedForm() {
  const [bar, stage, stop, button] = [new Element(), new Element(), new Element(), new Element()];
  const panel = new Element({}, { scrollIntoView: () => {}, found: { progress: bar, "[data-stage]": stage, "[data-stop]": stop } });
  globalThis.document = new Element({}, { found: { "form[data-takes-time] button": [button] } });
  const gone = [];
  globalThis.window = { location: { assign: (page) => gone.push(page) } };
  return { form: { action: "/trees/1/photos/set" }, panel, bar, stage, stop, button, gone };
}

test("a form whose work takes a while goes on to its result", async () => {
  const { form, panel, stage, button, gone } = watchedForm();
  serverThat({ status: 202, json: { job: "/jobs/b" } });
  Stream.last = null;
  const sent = sendWatched(form, panel);
  assert.equal(button.disabled, true);
  await until(() => Stream.last);
  Stream.last.say({ stage: "Taking photo 1 of 4", share: 0.1, done: false });
  assert.equal(stage.textContent, "Taking photo 1 of 4");
  Stream.last.say({ done: true, page: "/photos/9/desk" });
  await sent;
  assert.deepEqual(gone, ["/photos/9/desk"]);
});

test("what was refused is said, and the form can be sent again", async () => {
  const { form, panel, stage, bar, button, gone } = watchedForm();
  serverThat({ status: 422, json: { message: "There is no such tree." } });
  await sendWatched(form, panel);
  assert.equal(stage.textContent, "There is no such tree.");
  assert.deepEqual([button.disabled, bar.hidden, gone], [false, true, []]);
});

test("a page that shows a job goes on whatever becomes of it", async () => {
  for (const last of [{ done: true, page: "/x" }, { done: true, problem: "It was stopped." }]) {
    const { gone, stage, bar } = watchedForm();
    const panel = new Element({ job: "/jobs/c" }, { found: { progress: bar, "[data-stage]": stage } });
    watchPage(panel);
    Stream.last.say({ stage: "Reading rows", share: 0.25, done: false });
    assert.equal(stage.textContent, "Reading rows, 25%");
    Stream.last.say(last);
    await until(() => gone.length);
    assert.deepEqual(gone, ["/jobs/c"]);
  }
});
