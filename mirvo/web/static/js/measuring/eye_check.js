/* Eye check: one place after another is asked for; a click answers. */

import { Loupe } from "./loupe.js";
import { View } from "./view.js";

const RINGS_IN_VIEW = 4;
const MAKING = "The picture is being made. This takes some seconds.";
const NO_PICTURE = "The picture could not be made. Load the page again.";

const root = document.querySelector("[data-eye]");
const part = (name) => root.querySelector(`[data-${name}]`);
const asked = JSON.parse(part("asked").textContent);
const surface = part("surface");
const image = surface.querySelector("img");
const size = ["width", "height"].map((name) => Number(image.getAttribute(name)));
const view = new View(surface, part("sheet"), size);
const loupe = new Loupe(part("loupe"), image, view);
const clicks = [];
let cross = size.map((side) => Math.round(side / 2));

function element(name, attributes) {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  return made;
}

/* Nobody clicks truly where there is nothing to be seen yet. */
const seen = () => image.complete && image.naturalWidth > 0;

function draw() {
  const now = asked[clicks.length];
  const shapes = clicks.map(([cx, cy]) => element("circle", { cx, cy, r: 7 / view.zoom, class: "handle" }));
  if (now && seen()) {
    const [cx, cy, r] = now.ring;
    shapes.push(element("circle", { cx, cy, r, class: "eye-ring" }));
  }
  if (document.activeElement === surface && surface.matches(":focus-visible")) {
    const [x, y] = cross;
    const arm = 14 / view.zoom;
    shapes.push(element("path", { class: "cross", d: `M${x - arm} ${y}H${x + arm}M${x} ${y - arm}V${y + arm}` }));
  }
  part("overlay").replaceChildren(...shapes);
  part("count").textContent = `${Math.min(clicks.length + 1, asked.length)} of ${asked.length}`;
  const wanted = now ? `Click ${now.text} in the ring.` : "All clicked.";
  part("text").textContent = seen() ? wanted : image.complete ? NO_PICTURE : MAKING;
  part("send").hidden = Boolean(now);
  part("back").disabled = !clicks.length;
}

function click(point) {
  if (clicks.length >= asked.length || !seen()) return;
  clicks.push(point);
  ask();
}

/** Bring the place asked for into view, as close as one works on the root desk. */
function ask() {
  const next = asked[clicks.length];
  view.fit();
  if (next) {
    const [x, y, r] = next.ring;
    cross = [Math.round(x), Math.round(y)];
    view.frame([[x - r, y - r], [x + r, y + r]], RINGS_IN_VIEW);
  }
  draw();
}

surface.addEventListener("pointermove", (event) => event.pointerType === "mouse" && loupe.show(view.local(event)));
surface.addEventListener("pointerleave", () => loupe.hide());
surface.addEventListener("pointerup", (event) => click(view.toPhoto(view.local(event))));
surface.addEventListener("wheel", (event) => {
  event.preventDefault();
  view.zoomAt(view.local(event), Math.exp(-event.deltaY * 0.0015));
}, { passive: false });
surface.addEventListener("viewchange", draw);
image.addEventListener("load", draw);
image.addEventListener("error", draw);
surface.addEventListener("focus", draw);
surface.addEventListener("blur", draw);
surface.addEventListener("keydown", (event) => {
  const step = event.altKey ? 100 : event.shiftKey ? 10 : 1;
  const moves = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
  if (moves[event.key]) cross = cross.map((value, i) => Math.min(view.size[i] - 1, Math.max(0, value + moves[event.key][i])));
  else if (event.key === " ") click([...cross]);
  else if (event.key === "Backspace") {
    clicks.pop();
    ask();
  } else return;
  event.preventDefault();
  draw();
});
part("back").addEventListener("click", () => {
  clicks.pop();
  ask();
});
part("send").addEventListener("click", async () => {
  try {
    const answer = await fetch(`/eye-checks/${root.dataset.check}/round`, {
      method: "PUT",
      headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify({ points: clicks }),
    });
    if (!answer.ok) throw new Error((await answer.json()).message);
    window.location.reload();
  } catch (error) {
    part("complaint").hidden = false;
    part("complaint").textContent = error instanceof TypeError ? "The server cannot be reached; your clicks stay here, send them again." : error.message;
  }
});
ask();
