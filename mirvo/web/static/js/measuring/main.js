/* The root desk: puts store, view, tools and panel together. */

import { keep, keptText } from "../kept.js";
import { Assist } from "./assist.js";
import { Fields } from "./fields.js";
import { placeInWords, points, trunksOf } from "./geometry.js";
import { drawMarks } from "./draw_marks.js";
import { listenKeys } from "./keys.js";
import { Loupe } from "./loupe.js";
import { listen } from "./pointer.js";
import { Store } from "./store.js";
import { MarksTable } from "./table.js";
import { Tools } from "./tools.js";
import { View } from "./view.js";

const AROUND_TRUNK = 5;
const AROUND_BASE = 1.35;
const STILL_MS = 400;
const LETTER_KEYS = "mirvo-letter-keys";
const root = /** @type {HTMLElement} */ (document.querySelector("[data-desk]"));
const part = (name) => root.querySelector(`[data-${name}]`);
const surface = part("surface");
const overlay = part("overlay");
const panel = part("panel");
const help = part("help");
const store = new Store(JSON.parse(part("desk-state").textContent));
const fields = new Fields(part("calibration"), store);
const assist = new Assist(store);
const tools = new Tools(store, fields, assist);
const view = new View(surface, part("sheet"), store.size);
const loupe = new Loupe(part("loupe"), part("image"), view);
const table = new MarksTable(part("marks-table"), store, (address) => {
  tools.choose(address);
  redraw();
});
let roughOutline = null;
let cross = store.size.map((side) => Math.round(side / 2));
let waiting = false;
let speaking = 0;

fields.onPick = () => {
  tools.take("calibrate");
  redraw();
};

function redraw() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    draw();
  });
}

/* Spoken once the cross stands still: each pixel of its way would be noise. */
function sayCross(shown) {
  clearTimeout(speaking);
  speaking = setTimeout(() => {
    const words = shown ? placeInWords(shown, trunksOf(store.marks)) : "";
    if (part("cross").textContent !== words) part("cross").textContent = words;
  }, STILL_MS);
}

function draw() {
  const keyboard = document.activeElement === surface && surface.matches(":focus-visible");
  const shown = keyboard && tools.tool !== "select" ? cross : null;
  drawMarks(overlay, store.marks, {
    zoom: view.zoom, chosen: tools.chosen, cross: shown, ghosts: assist.ghosts, ghost: assist.ghost, rough: roughOutline,
  });
  sayCross(shown);
  surface.dataset.tool = tools.tool;
  for (const button of root.querySelectorAll("[data-tool]")) {
    if (button !== surface) button.setAttribute("aria-pressed", String(button.dataset.tool === tools.tool));
  }
  for (const button of panel.querySelectorAll("[data-pick]")) {
    button.setAttribute("aria-pressed", String(Number(button.dataset.pick) === tools.rootIndex));
  }
  const chosen = tools.chosen && [...points(store.marks)].find((one) => one.address === tools.chosen);
  const said = chosen && tools.tool === "select" ? `${chosen.name}. ${tools.hint}` : tools.hint;
  if (part("hint").textContent !== said) part("hint").textContent = said;
  // With nothing in hand the photo and its points are moved.
  part("leave").hidden = tools.tool === "select";
}

for (const button of root.querySelectorAll("button[data-tool]")) {
  button.addEventListener("click", () => {
    tools.take(button.dataset.tool);
    surface.focus({ preventScroll: true });
    redraw();
  });
}
const actions = {
  undo: () => tools.undo(),
  redo: () => tools.redo(),
  fit: () => view.fit(),
  help: () => help.showModal(),
  loupe: () => loupe.toggle(),
  snap: () => tools.snap(),
  propose: () => {
    tools.note = "";
    const outlines = trunksOf(store.marks).flatMap((one) => one.outline);
    if (outlines.length) view.frame(outlines, AROUND_TRUNK);
    // Enter then accepts, and does not press the button again.
    surface.focus({ preventScroll: true });
    assist.propose(fields.trunkHeight);
  },
  stop: () => assist.stop(),
  accept: () => assist.accept(),
  sure: () => assist.acceptSure(),
  reject: () => assist.reject(),
  next: () => assist.next(),
  dismiss: () => assist.dismiss(),
  leave: () => {
    tools.finish();
    tools.take("select");
  },
};
for (const button of root.querySelectorAll("[data-do]")) {
  button.addEventListener("click", () => {
    actions[button.dataset.do]();
    redraw();
  });
}

panel.addEventListener("click", (event) => {
  const pick = event.target.closest("[data-pick]");
  if (!pick) return;
  tools.chooseRoot(Number(pick.dataset.pick));
  redraw();
});
panel.addEventListener("change", (event) => {
  const name = event.target.dataset.edit;
  if (!name) return;
  const tried = event.target.closest("[data-try]");
  const index = Number((tried ?? event.target.closest("[data-root]")).dataset[tried ? "try" : "root"]);
  const value = event.target.value;
  store.change((marks) => {
    (tried ? marks.tried : marks.roots ?? marks.emergences)[index][name] = name === "feeders" ? (value === "" ? null : Number(value)) : value;
  });
});

store.addEventListener("renewed", () => tools.resume());
store.addEventListener("change", () => {
  fields.fill();
  table.fill();
  redraw();
});
store.addEventListener("saving", ({ detail }) => {
  part("save").textContent = detail.text;
  part("save").dataset.state = detail.state;
});
store.addEventListener("figures", ({ detail }) => {
  const held = panel.contains(document.activeElement) ? document.activeElement : null;
  const owner = held?.closest("[data-root], [data-try]");
  const place = owner?.dataset.try ? `[data-try="${owner.dataset.try}"]` : `[data-root="${owner?.dataset.root}"]`;
  const again = held && (held.dataset.edit ? `${place} [data-edit="${held.dataset.edit}"]` : `[data-pick="${held.dataset.pick}"]`);
  panel.innerHTML = detail.panel;
  if (again) panel.querySelector(again)?.focus();
  redraw();
});
assist.addEventListener("progress", ({ detail }) => {
  part("working").hidden = false;
  part("stage").textContent = `${detail.stage} …`;
  part("progress").value = detail.share;
});
assist.addEventListener("change", () => {
  part("working").hidden = true;
  const { ghost } = assist;
  part("ghosts").hidden = !ghost && !assist.said;
  for (const button of part("ghosts").querySelectorAll("[data-when=ghost]")) button.hidden = !ghost;
  const sure = assist.ghosts.length - assist.doubtful;
  part("sure").hidden = sure < 2;
  part("sure-count").textContent = String(sure);
  part("ghost-said").textContent = ghost
    ? `${assist.ghosts.length} proposed, ${assist.doubtful} doubtful. This one: ${Math.round(ghost.confidence * 100)}% sure.`
    : assist.said;
  redraw();
});
surface.addEventListener("viewchange", redraw);
surface.addEventListener("focus", redraw);
surface.addEventListener("blur", redraw);

const desk = { surface, view, store, tools, assist, loupe, redraw, help, propose: actions.propose };
listen({ ...desk, rough: (drawn) => { roughOutline = drawn; redraw(); } });
const letterKeys = part("letter-keys");
letterKeys.checked = keptText(LETTER_KEYS) !== "off";
letterKeys.addEventListener("change", () => keep(LETTER_KEYS, letterKeys.checked ? "on" : "off"));
/* A base that is marked already is what one comes to look at. */
const outlines = trunksOf(store.marks).flatMap((one) => one.outline);
const paths = (store.marks.roots ?? []).flatMap((one) => one.path);
if (paths.length) view.frame(outlines.concat(paths), AROUND_BASE);
else if (outlines.length) view.frame(outlines, AROUND_TRUNK);
listenKeys({ ...desk, letters: () => letterKeys.checked, cross: () => cross, setCross: (to) => { cross = to; } });
draw();
/* Until here no tool answers; what was clicked or typed before would be lost without a word. */
root.inert = false;
