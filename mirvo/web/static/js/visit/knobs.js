/* Cut points on the wheel: a knob slides along its root's own path. */

const points = (knob) => knob.dataset.way.split(" ").map((pair) => pair.split(",").map(Number));

/** Nearest place on a path to a point, with how far along it lies (0 to 1). */
function along(way, [x, y]) {
  const legs = way.slice(1).map((b, i) => [way[i], b, Math.hypot(b[0] - way[i][0], b[1] - way[i][1])]);
  const whole = legs.reduce((sum, [, , long]) => sum + long, 0) || 1;
  let best = { away: Infinity };
  let run = 0;
  for (const [[ax, ay], [bx, by], long] of legs) {
    const share = long ? Math.min(1, Math.max(0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / long ** 2)) : 0;
    const at = [ax + share * (bx - ax), ay + share * (by - ay)];
    const away = Math.hypot(at[0] - x, at[1] - y);
    if (away < best.away) best = { away, at, share: (run + share * long) / whole };
    run += long;
  }
  return best;
}

export function listenKnobs(root, moved) {
  let held = null;
  root.addEventListener("pointerdown", (event) => {
    const knob = event.target.closest("[data-knob]");
    if (!knob) return;
    event.preventDefault();
    held = { knob, way: points(knob), share: Number(knob.dataset.share) };
    knob.setPointerCapture(event.pointerId);
  });
  root.addEventListener("pointermove", (event) => {
    if (!held) return;
    const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(held.knob.ownerSVGElement.getScreenCTM().inverse());
    const found = along(held.way, [place.x, place.y]);
    held.share = found.share;
    held.knob.setAttribute("cx", found.at[0]);
    held.knob.setAttribute("cy", found.at[1]);
  });
  const drop = () => {
    if (!held) return;
    moved(held.knob.dataset.knob, Math.min(1, Math.max(0, 1 - held.share)));
    held = null;
  };
  root.addEventListener("pointerup", drop);
  root.addEventListener("pointercancel", () => { held = null; });
}
