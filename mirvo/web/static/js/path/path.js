/* The path page: the target is set by dragging its ring and its pot's floor on the drawing. */

import { listenKnobs } from "../knobs.js";

const SETTLE_MS = 700;
const MM_PER_INCH = 25.4;
let waiting = null;
let unsent = false;

/** What a knob stands for at a share of its way, in the unit and step of its field. */
function valueOf(knob, share) {
  const { from, to, digits } = knob.dataset;
  return (Number(from) + share * (Number(to) - Number(from))).toFixed(Number(digits));
}

/** A value with its unit, in inches where the field is in inches. */
function said(value, unit, field) {
  return field.dataset.unit === "in" ? [(value / MM_PER_INCH).toFixed(2), "in"] : [value, unit];
}

function show(knob, share) {
  unsent = true;
  const field = document.getElementById(knob.dataset.field);
  const [value, unit] = said(valueOf(knob, share), knob.dataset.unit, field);
  field.value = value;
  knob.setAttribute("aria-valuenow", value);
  knob.setAttribute("aria-valuetext", `${value} ${unit}`);
  const drawing = knob.ownerSVGElement;
  if (knob.dataset.knob === "ring") {
    const ring = drawing.querySelector(".target-ring");
    ring.setAttribute("r", Math.abs(Number(knob.getAttribute("cx")) - Number(ring.getAttribute("cx"))));
  } else {
    const floor = drawing.querySelector(".target-floor");
    const ends = floor.getAttribute("d").match(/-?[\d.]+/g).map(Number);
    floor.setAttribute("d", `M${ends[0]} ${knob.getAttribute("cy")} L${ends[2]} ${knob.getAttribute("cy")}`);
  }
  drawing.querySelector(`[data-says=${knob.dataset.knob}]`).textContent = `${value} ${unit}`;
}

listenKnobs(document.querySelector("#main"), {
  moving: show,
  dropped: (knob, share) => {
    show(knob, share);
    clearTimeout(waiting);
    waiting = setTimeout(() => {
      unsent = false;
      document.querySelector(".target-form").requestSubmit();
    }, SETTLE_MS);
  },
});

/* A plan that arrives while the knob moves on belongs to an older target: it is not shown. */
document.addEventListener("htmx:beforeSwap", (event) => {
  if (unsent && event.detail.target.id === "path") event.detail.shouldSwap = false;
});
