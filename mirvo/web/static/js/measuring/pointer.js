/* Mouse, pen and touch: a tap places, a drag moves a point or the photo, two fingers zoom. */

import { at, ellipse, nearest, put } from "./geometry.js";

const REACH_PX = { mouse: 9, pen: 14, touch: 24 };
const STILL_PX = 5;
const FINGER_PX = 58;
const HELD_MS = 160;

/* A finger hides what it points at: after a moment the point stands above it, under the loupe. */
const aimOf = ([x, y]) => [x, y - FINGER_PX];

export function listen({ surface, view, store, tools, loupe, redraw, rough }) {
  const down = new Map();
  let drag = null;
  let strokes = 0;

  surface.addEventListener("pointerdown", (event) => {
    if (event.button > 1 || event.target.closest("[data-foot]")) return;
    surface.setPointerCapture(event.pointerId);
    surface.focus({ preventScroll: true });
    const local = view.local(event);
    down.set(event.pointerId, local);
    if (down.size > 1) {
      drag = null;
      return;
    }
    const reach = (REACH_PX[event.pointerType] ?? 9) / view.zoom;
    const hit = event.button === 0 && !event.shiftKey ? nearest(store.marks, view.toPhoto(local), reach) : null;
    const grabs = hit && (tools.tool === "select" || event.altKey || hit.address.startsWith("draft/"));
    strokes += 1;
    drag = {
      start: local,
      last: local,
      moved: false,
      hit: grabs ? hit : null,
      stroke: `drag-${strokes}`,
      pans: event.button === 1,
      aims: event.pointerType === "touch" && !grabs && tools.tool !== "select" && tools.tool !== "trunk",
      draws: tools.tool === "trunk" && !store.marks.draft && !grabs && event.button === 0,
      since: event.timeStamp,
    };
    if (grabs) tools.choose(hit.address);
    redraw();
  });

  surface.addEventListener("pointermove", (event) => {
    if (loupe.on && event.pointerType !== "touch") loupe.show(view.local(event));
    if (!down.has(event.pointerId)) return;
    const local = view.local(event);
    if (down.size === 2) pinch(down, event.pointerId, local, view);
    else if (drag) move(drag, local);
    down.set(event.pointerId, local);
  });

  const lift = (event) => {
    const local = view.local(event);
    const lifted = drag && down.size === 1 && event.type === "pointerup";
    const aimed = lifted && drag.aims && (drag.moved || event.timeStamp - drag.since > HELD_MS);
    const placed = lifted && !drag.moved && !drag.hit && !drag.pans;
    down.delete(event.pointerId);
    if (aimed) tools.place(view.toPhoto(aimOf(local)), view.zoom);
    else if (lifted && drag.moved && drag.draws) outline(drag.start, local);
    else if (placed) {
      if (tools.tool === "select") tools.choose(null);
      else tools.place(view.toPhoto(local), view.zoom);
    }
    rough(null);
    if (drag?.aims) loupe.hide();
    store.endStroke();
    drag = null;
    redraw();
  };
  surface.addEventListener("pointerup", lift);
  surface.addEventListener("pointercancel", lift);

  function move(held, local) {
    if (!held.moved && Math.hypot(local[0] - held.start[0], local[1] - held.start[1]) < STILL_PX) return;
    held.moved = true;
    const [dx, dy] = [local[0] - held.last[0], local[1] - held.last[1]];
    held.last = local;
    if (held.aims) {
      loupe.show(aimOf(local));
      return;
    }
    if (held.draws) {
      rough(ellipse(view.toPhoto(held.start), view.toPhoto(local)));
      return;
    }
    if (!held.hit) {
      view.pan(dx, dy);
      return;
    }
    const [x, y] = at(store.marks, held.hit.address);
    const to = [x + dx / view.zoom, y + dy / view.zoom].map((v, i) => Math.min(view.size[i] - 1, Math.max(0, v)));
    store.change((marks) => put(marks, held.hit.address, to), held.stroke);
  }

  function outline(from, to) {
    tools.drag(ellipse(view.toPhoto(from), view.toPhoto(to))).then(redraw);
  }

  surface.addEventListener("dblclick", () => {
    if (tools.tool === "select") return;
    tools.finish();
    redraw();
  });
  surface.addEventListener("wheel", (event) => {
    event.preventDefault();
    view.zoomAt(view.local(event), Math.exp(-event.deltaY * 0.0015));
  }, { passive: false });
}

function pinch(down, id, local, view) {
  const [other] = [...down].filter(([key]) => key !== id).map(([, place]) => place);
  const before = down.get(id);
  const middle = (a) => [(a[0] + other[0]) / 2, (a[1] + other[1]) / 2];
  const apart = (a) => Math.hypot(a[0] - other[0], a[1] - other[1]);
  const [from, to] = [middle(before), middle(local)];
  view.pan(to[0] - from[0], to[1] - from[1]);
  if (apart(before) > 10) view.zoomAt(to, apart(local) / apart(before));
}
