import assert from "node:assert/strict";
import { test } from "node:test";

import { listenKnobs, place } from "../../mirvo/web/static/js/knobs.js";
import { View } from "../../mirvo/web/static/js/measuring/view.js";
import { Element } from "./fakes.js";

globalThis.ResizeObserver = class {
  observe() {}
};

/** A photo of 4000 by 3000 px on a surface of 800 by 600. */
function view() {
  const surface = new Element({}, { getBoundingClientRect: () => ({ left: 100, top: 50, width: 800, height: 600 }) });
  return new View(surface, new Element(), [4000, 3000]);
}

test("a photo fits its surface and lies in its middle", () => {
  const { zoom, offset } = view();
  assert.equal(zoom, 0.2);
  assert.deepEqual(offset, [0, 0]);
});

test("a place on the screen is a pixel of the photo, kept inside it", () => {
  const seen = view();
  assert.deepEqual(seen.local({ clientX: 500, clientY: 350 }), [400, 300]);
  assert.deepEqual(seen.toPhoto([400, 300]), [1999.5, 1499.5]);
  assert.deepEqual(seen.toPhoto([-50, 9000]), [0, 2999]);
});

test("zooming keeps the place under the finger where it is", () => {
  const seen = view();
  const at = [200, 150];
  const before = seen.toPhoto(at);
  seen.zoomAt(at, 4);
  assert.equal(seen.zoom, 0.8);
  assert.deepEqual(seen.toPhoto(at), before);
});

test("zooming has an end either way", () => {
  const seen = view();
  for (let turn = 0; turn < 40; turn += 1) seen.zoomMiddle(2);
  assert.equal(seen.zoom, 12);
  for (let turn = 0; turn < 40; turn += 1) seen.zoomMiddle(0.5);
  assert.equal(seen.zoom, 0.05);
});

test("panning moves the photo, fitting puts it back", () => {
  const seen = view();
  seen.pan(30, -20);
  assert.deepEqual(seen.offset, [30, -20]);
  seen.fit();
  assert.deepEqual(seen.offset, [0, 0]);
});

test("a mark is framed with what lies about it, and never made smaller", () => {
  const seen = view();
  seen.frame([[1900, 1400], [2100, 1400], [2100, 1600], [1900, 1600]], 3);
  assert.equal(seen.zoom, 1);
  assert.deepEqual(seen.toPhoto([400, 300]), [1999.5, 1499.5]);
  const zoom = seen.zoom;
  seen.frame([[0, 0], [3999, 2999]], 3);
  assert.equal(seen.zoom, zoom);
});

/** A knob half way along a straight line of 100 px. */
const knob = () => new Element({ knob: "ring", way: "0,10 100,10", share: "0.5", step: "0.05" });

test("a knob is put to a share of its way", () => {
  const one = knob();
  place(one, 0.25);
  assert.deepEqual([one.attributes.cx, one.attributes.cy, one.dataset.share], ["25", "10", 0.25]);
});

/** An event that a root element hears from a knob. */
function heard(root, type, target, fields = {}) {
  const event = new Event(type, { cancelable: true });
  Object.defineProperty(event, "target", { value: target });
  Object.assign(event, fields);
  // A node under test is its own parent, so the event is handed over by hand.
  root.listeners[type](event);
  return event;
}

function listening() {
  const root = { listeners: {}, addEventListener: (type, heardBy) => { root.listeners[type] = heardBy; } };
  const told = { moving: [], dropped: [] };
  listenKnobs(root, {
    moving: (_, share) => told.moving.push(share),
    dropped: (_, share) => told.dropped.push(share),
  });
  return { root, told };
}

test("arrow keys step a knob, move it and drop it at once", () => {
  const { root, told } = listening();
  const one = knob();
  heard(root, "keydown", one, { key: "ArrowRight" });
  assert.deepEqual(told, { moving: [0.55], dropped: [0.55] });
  assert.equal(Number(one.attributes.cx).toFixed(3), "55.000");
});

test("a knob stays on its way, whatever is pressed", () => {
  const { root, told } = listening();
  const one = knob();
  for (let turn = 0; turn < 4; turn += 1) heard(root, "keydown", one, { key: "PageUp" });
  assert.equal(told.dropped.at(-1), 1);
  const other = heard(root, "keydown", one, { key: "a" });
  assert.equal(other.defaultPrevented, false);
});

test("a dragged knob follows its way and is dropped where it was let go", () => {
  const { root, told } = listening();
  globalThis.DOMPoint = class {
    constructor(x, y) {
      Object.assign(this, { x, y });
    }

    matrixTransform() {
      return this;
    }
  };
  const one = Object.assign(knob(), {
    setPointerCapture: () => {},
    ownerSVGElement: { getScreenCTM: () => ({ inverse: () => null }) },
  });
  heard(root, "pointermove", one, { clientX: 10, clientY: 10 });
  assert.deepEqual(told.moving, []);
  heard(root, "pointerdown", one, { pointerId: 1 });
  heard(root, "pointermove", one, { clientX: 80, clientY: 60 });
  heard(root, "pointerup", one);
  assert.deepEqual(told, { moving: [0.8], dropped: [0.8] });
  assert.equal(one.dataset.share, 0.8);
});
