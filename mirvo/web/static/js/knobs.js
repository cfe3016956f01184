/* Knobs on drawings: each slides along its own way, by finger, mouse or arrow keys. */

const points = (knob) => knob.dataset.way.split(" ").map((pair) => pair.split(",").map(Number));
const within = (share) => Math.min(1, Math.max(0, share));
const STEPS = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 };

/** Nearest place on a path to a point, with how far along it lies (0 to 1). */
function along(way, [x, y]) {
  const legs = way.slice(1).map((b, i) => [way[i], b, Math.hypot(b[0] - way[i][0], b[1] - way[i][1])]);
  const whole = legs.reduce((sum, [, , long]) => sum + long, 0) || 1;
  let best = { away: Infinity };
  let run = 0;
  for (const [[ax, ay], [bx, by], long] of legs) {
    const share = long ? within(((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / long ** 2) : 0;
    const at = [ax + share * (bx - ax), ay + share * (by - ay)];
    const away = Math.hypot(at[0] - x, at[1] - y);
    if (away < best.away) best = { away, at, share: (run + share * long) / whole };
    run += long;
  }
  return best;
}

/** Put a knob with a straight way to a share of it. */
export function place(knob, share) {
  const [[ax, ay], [bx, by]] = points(knob);
  knob.dataset.share = share;
  knob.setAttribute("cx", ax + share * (bx - ax));
  knob.setAttribute("cy", ay + share * (by - ay));
}

/**
 * Follow the knobs under a root element, whatever is drawn in it later.
 * dropped(knob, share): let go. moving(knob, share): on the way. The arrow keys step a knob
 * that says its step as a share of its way (data-step); they move it and drop it at once.
 * @param {Element | Document} root
 * @param {{dropped: (knob: any, share: number) => void, moving?: (knob: any, share: number) => void}} listeners
 */
export function listenKnobs(root, { dropped, moving = () => {} }) {
  let held = null;
  root.addEventListener("pointerdown", (event) => {
    const knob = event.target.closest?.("[data-knob]");
    if (!knob) return;
    event.preventDefault();
    knob.focus?.({ preventScroll: true });
    held = { knob, way: points(knob), share: Number(knob.dataset.share) };
    knob.setPointerCapture(event.pointerId);
  });
  root.addEventListener("pointermove", (event) => {
    if (!held) return;
    const screen = held.knob.ownerSVGElement.getScreenCTM().inverse();
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(screen);
    const found = along(held.way, [at.x, at.y]);
    held.share = found.share;
    held.knob.setAttribute("cx", found.at[0]);
    held.knob.setAttribute("cy", found.at[1]);
    moving(held.knob, held.share);
  });
  root.addEventListener("pointerup", () => {
    if (!held) return;
    held.knob.dataset.share = held.share;
    dropped(held.knob, within(held.share));
    held = null;
  });
  root.addEventListener("pointercancel", () => { held = null; });
  root.addEventListener("keydown", (event) => {
    const knob = event.target.closest?.("[data-knob][data-step]");
    if (!knob || !(event.key in STEPS)) return;
    event.preventDefault();
    const share = within(Number(knob.dataset.share) + STEPS[event.key] * Number(knob.dataset.step));
    place(knob, share);
    moving(knob, share);
    dropped(knob, share);
  });
}
