/* The root desk: puts store, view, tools and panel together. */

import { Fields } from "./fields.js";
import { points } from "./geometry.js";
import { ink } from "./ink.js";
import { listenKeys } from "./keys.js";
import { listen } from "./pointer.js";
import { Store } from "./store.js";
import { HINTS, Tools } from "./tools.js";
import { View } from "./view.js";

const root = document.querySelector("[data-desk]");
const part = (name) => root.querySelector(`[data-${name}]`);
const surface = part("surface");
const overlay = part("overlay");
const panel = part("panel");
const help = part("help");
const store = new Store(JSON.parse(part("desk-state").textContent));
const fields = new Fields(part("calibration"), store);
const tools = new Tools(store, fields);
const view = new View(surface, part("sheet"), store.size);
let cross = store.size.map((side) => Math.round(side / 2));
let waiting = false;

function redraw() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    draw();
  });
}

function draw() {
  const keyboard = document.activeElement === surface && surface.matches(":focus-visible");
  const shown = keyboard && tools.tool !== "select" ? cross : null;
  ink(overlay, store.marks, { zoom: view.zoom, chosen: tools.chosen, cross: shown });
  surface.dataset.tool = tools.tool;
  for (const button of root.querySelectorAll("[data-tool]")) {
    if (button !== surface) button.setAttribute("aria-pressed", String(button.dataset.tool === tools.tool));
  }
  for (const button of panel.querySelectorAll("[data-pick]")) {
    button.setAttribute("aria-pressed", String(Number(button.dataset.pick) === tools.rootIndex));
  }
  const chosen = tools.chosen && [...points(store.marks)].find((one) => one.address === tools.chosen);
  const hint = chosen && tools.tool === "select" ? `${chosen.name}. ${HINTS.select}` : HINTS[tools.tool];
  const label = tools.rootIndex >= 0 ? store.marks.roots[tools.rootIndex]?.label : null;
  const said = label && ["width", "end"].includes(tools.tool) ? hint.replace("the chosen root", `root ${label}`) : hint;
  if (part("hint").textContent !== said) part("hint").textContent = said;
}

for (const button of root.querySelectorAll("button[data-tool]")) {
  button.addEventListener("click", () => {
    tools.take(button.dataset.tool);
    surface.focus({ preventScroll: true });
    redraw();
  });
}
const actions = { undo: () => store.undo(), redo: () => store.redo(), fit: () => view.fit(), help: () => help.showModal() };
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
  const index = Number(event.target.closest("[data-root]").dataset.root);
  const value = event.target.value;
  store.change((marks) => {
    marks.roots[index][name] = name === "feeders" ? (value === "" ? null : Number(value)) : value;
  });
});

store.addEventListener("change", () => {
  fields.fill();
  redraw();
});
store.addEventListener("saving", ({ detail }) => {
  part("save").textContent = detail.text;
  part("save").dataset.state = detail.state;
});
store.addEventListener("figures", ({ detail }) => {
  const held = panel.contains(document.activeElement) ? document.activeElement : null;
  const place = held?.closest("[data-root]")?.dataset.root;
  const again = held && (held.dataset.edit ? `[data-root="${place}"] [data-edit="${held.dataset.edit}"]` : `[data-pick="${held.dataset.pick}"]`);
  panel.innerHTML = detail.panel;
  if (again) panel.querySelector(again)?.focus();
  redraw();
});
surface.addEventListener("viewchange", redraw);
surface.addEventListener("focus", redraw);
surface.addEventListener("blur", redraw);

listen(surface, view, store, tools, redraw);
listenKeys({ surface, view, store, tools, redraw, help, cross: () => cross, setCross: (to) => { cross = to; } });
draw();
