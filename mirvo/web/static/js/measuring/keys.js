/* The keyboard: every mark can be set, moved and removed without a pointer. */

import { at, ownerOf, points, put } from "./geometry.js";

const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

export function listenKeys(desk) {
  const { surface, view, store, tools, assist, loupe, redraw, help } = desk;

  const toolKeys = Object.fromEntries([...document.querySelectorAll("[data-key]")].map((one) => [one.dataset.key, one.dataset.tool]));

  document.addEventListener("keydown", (event) => {
    if (event.target.closest("input, select, textarea, dialog")) return;
    if (event.ctrlKey || event.metaKey) {
      takeBack(event);
      return;
    }
    // People who speak or type elsewhere may switch single letters off.
    if (/^[a-z]$/i.test(event.key) && !desk.letters()) return;
    const onSurface = document.activeElement === surface || document.activeElement === document.body;
    const pressed = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const done = general(pressed, event) || (onSurface && onPhoto(pressed, event));
    if (done) {
      event.preventDefault();
      redraw();
    }
  });

  /** As everywhere else: Ctrl Z, with Shift or as Ctrl Y forward again. */
  function takeBack(event) {
    const key = event.key.toLowerCase();
    if (key !== "z" && key !== "y") return;
    event.preventDefault();
    if (key === "y" || event.shiftKey) tools.redo();
    else tools.undo();
    redraw();
  }

  function general(key, event) {
    if (toolKeys[key]) {
      tools.take(toolKeys[key]);
      surface.focus({ preventScroll: true });
      return true;
    }
    const actions = {
      z: () => (event.shiftKey ? tools.redo() : tools.undo()),
      h: () => tools.height(),
      a: () => assist.acceptSure(),
      g: () => store.marks.roots && (assist.ghosts.length ? assist.next() : desk.propose()),
      s: () => tools.snap(),
      l: () => loupe.toggle(),
      "[": () => tools.chooseRoot(tools.rootIndex - 1),
      "]": () => tools.chooseRoot(tools.rootIndex + 1),
      0: () => view.fit(),
      "+": () => view.zoomMiddle(1.25),
      "=": () => view.zoomMiddle(1.25),
      "-": () => view.zoomMiddle(0.8),
      "?": () => help.showModal(),
      Escape: () => { tools.finish(); tools.take("select"); },
    };
    if (!actions[key]) return false;
    actions[key]();
    return true;
  }

  function onPhoto(key, event) {
    if (STEPS[key]) {
      nudge(STEPS[key], event);
      return true;
    }
    if (key === "Tab" && tools.tool === "select" && tools.chosen) return nextPoint(event.shiftKey ? -1 : 1);
    const actions = {
      " ": () => tools.place(desk.cross(), view.zoom),
      Enter: () => (assist.ghost && !store.marks.draft ? accept() : tools.finish()),
      Backspace: () => tools.back(),
      Delete: () => (assist.ghost && !store.marks.draft ? assist.reject() : tools.remove()),
    };
    if (!actions[key]) return false;
    actions[key]();
    return true;
  }

  function accept() {
    const index = assist.accept();
    if (!assist.ghost) tools.chooseRoot(index);
  }

  function nudge([dx, dy], event) {
    const step = event.altKey ? 100 : event.shiftKey ? 10 : 1;
    const inside = (p) => p.map((v, i) => Math.min(view.size[i] - 1, Math.max(0, v)));
    if (tools.tool === "select" && tools.chosen) {
      const [x, y] = at(store.marks, tools.chosen);
      store.change((marks) => put(marks, tools.chosen, inside([x + dx * step, y + dy * step])));
    } else {
      const [x, y] = desk.cross();
      desk.setCross(inside([x + dx * step, y + dy * step]));
    }
  }

  function nextPoint(step) {
    const owner = ownerOf(tools.chosen);
    const mine = [...points(store.marks)].map((one) => one.address).filter((one) => ownerOf(one) === owner);
    const next = mine.indexOf(tools.chosen) + step;
    if (next < 0 || next >= mine.length) {
      tools.choose(null);
      return false;
    }
    tools.choose(mine[next]);
    return true;
  }
}
