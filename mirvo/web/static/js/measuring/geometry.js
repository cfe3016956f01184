/* Addresses of points within the marks: "roots/0/path/3", "calibration/corners/1", "front". */

export const isPoint = (value) =>
  Array.isArray(value) && value.length === 2 && value.every((n) => typeof n === "number");

export function at(marks, address) {
  return address.split("/").reduce((part, key) => (part == null ? part : part[key]), marks);
}

/** Set a mark or one point of it by hand. A base width or a tip set so strays no more than a click does. */
export function put(marks, address, value) {
  const keys = address.split("/");
  if (keys[2] === "base_width") {
    delete marks.roots[keys[1]].points_sd_px;
    delete marks.roots[keys[1]].base_sd_px;
    delete marks.roots[keys[1]].base_width_sd_px;
  }
  const path = keys[2] === "path" ? marks.roots[keys[1]].path : null;
  if (path && Number(keys[3]) === path.length - 1) delete marks.roots[keys[1]].tip_sd_px;
  const last = keys.pop();
  const owner = keys.reduce((part, key) => part[key], marks);
  owner[last] = value;
}

function* numbered(base, points, name) {
  for (const [index, point] of (points ?? []).entries()) {
    yield { address: `${base}/${index}`, point, name: `${name}, point ${index + 1} of ${points.length}` };
  }
}

/** Every marked point with its address and its name for people. */
export function* points(marks) {
  const cal = marks.calibration;
  if (cal?.kind === "segment") {
    yield { address: "calibration/a", point: cal.a, name: "Calibration, first end" };
    yield { address: "calibration/b", point: cal.b, name: "Calibration, second end" };
  }
  if (cal?.kind === "ellipse") yield* numbered("calibration/points", cal.points, "Rim of the oval");
  if (cal?.kind === "rectangle") yield* numbered("calibration/corners", cal.corners, "Calibration corner");
  if (marks.trunk) yield* numbered("trunk/outline", marks.trunk.outline, "Trunk outline");
  for (const [index, one] of (marks.trunks ?? []).entries()) {
    yield* numbered(`trunks/${index}/outline`, one.outline, `Outline of trunk ${index + 1}`);
  }
  if (marks.flare) yield* numbered("flare/outline", marks.flare.outline, "Flare edge");
  if (marks.soil_line) yield* numbered("soil_line", marks.soil_line, "Soil line");
  if (marks.left_edge) yield* numbered("left_edge", marks.left_edge, "Left edge");
  if (marks.right_edge) yield* numbered("right_edge", marks.right_edge, "Right edge");
  if (marks.ball) {
    yield* numbered("ball/outline", marks.ball.outline, "Ball outline");
    for (const [index, pair] of marks.ball.wood.entries()) yield* numbered(`ball/wood/${index}`, pair, `Wood ${index + 1}`);
  }
  for (const [index, one] of (marks.emergences ?? []).entries()) {
    yield { address: `emergences/${index}/point`, point: one.point, name: `Root ${one.label} leaves the trunk` };
  }
  for (const [index, one] of (marks.tried ?? []).entries()) {
    yield { address: `tried/${index}/point`, point: one.point, name: `Height ${index + 1} tried` };
  }
  for (const [index, root] of (marks.roots ?? []).entries()) {
    yield* numbered(`roots/${index}/path`, root.path, `Root ${root.label}`);
    if (root.base_width) yield* numbered(`roots/${index}/base_width`, root.base_width, `Root ${root.label} base width`);
    if (root.end_width) yield* numbered(`roots/${index}/end_width`, root.end_width, `Root ${root.label} end width`);
  }
  for (const [name, point] of Object.entries(marks.points ?? {})) {
    yield { address: `points/${name}`, point, name: `Place ${name}` };
  }
  if (isPoint(marks.front)) yield { address: "front", point: marks.front, name: "Front" };
  if (marks.draft) yield* numbered("draft/points", marks.draft.points, "Mark in progress");
}

/** The mark a point belongs to: "trunk", "calibration", "roots/2", "emergences/0", "draft" and so on. */
export function ownerOf(address) {
  const keys = address.split("/");
  if (address.startsWith("ball/wood/")) return keys.slice(0, 3).join("/");
  return /^(roots|emergences|points|trunks|tried)\//.test(address) ? keys.slice(0, 2).join("/") : keys[0];
}

export const trunksOf = (marks) => marks.trunks ?? (marks.trunk ? [marks.trunk] : []);

/** Keep trunks as the file has them: `trunk` for one, `trunks` for several. */
export function keepTrunks(marks, trunks) {
  delete marks.trunks;
  marks.trunk = trunks.length === 1 ? trunks[0] : null;
  if (trunks.length > 1) marks.trunks = trunks;
}

/** A trunk drawn over another takes its place; one beside it is a further trunk of the base. */
export function putTrunk(marks, trunk) {
  const overlaps = ({ outline }) => holds(outline, centreOf(trunk.outline)) || holds(trunk.outline, centreOf(outline));
  const others = trunksOf(marks).filter((one) => !overlaps(one));
  keepTrunks(marks, [...others, trunk]);
}

/**
 * Diameter of the circle of the same area as a closed outline, px.
 * @param {number[][]} outline
 */
export function acrossOf(outline) {
  const doubled = outline.reduce((sum, [x, y], index) => {
    const [nextX, nextY] = outline[(index + 1) % outline.length];
    return sum + x * nextY - nextX * y;
  }, 0);
  return 2 * Math.sqrt(Math.abs(doubled) / 2 / Math.PI);
}

/**
 * Where a point lies, to be heard: its pixels, and from the trunk its hour and distance.
 * @param {number[]} point
 * @param {{ outline: number[][] }[]} trunks
 */
export function placeInWords([x, y], trunks) {
  const pixels = `${Math.round(x)} right, ${Math.round(y)} down`;
  if (!trunks.length) return `Cross at ${pixels}.`;
  const [{ outline }] = trunks;
  if (holds(outline, [x, y])) return `Cross at ${pixels}, on the trunk.`;
  const [middleX, middleY] = centreOf(outline);
  const hour = Math.round((Math.atan2(x - middleX, middleY - y) / (2 * Math.PI)) * 12 + 12) % 12 || 12;
  const away = Math.hypot(x - middleX, y - middleY) / acrossOf(outline);
  return `Cross at ${pixels}: toward ${hour} on the picture, ${away.toFixed(1)} trunks from its middle.`;
}

/** A tried height as a line across the photo, level with the soil line. */
export function levelThrough([x, y], [[ax, ay], [bx, by]]) {
  const slope = (by - ay) / (bx - ax || 1);
  const reach = 1.5 * Math.hypot(bx - ax, by - ay);
  return [[x - reach, y - reach * slope], [x + reach, y + reach * slope]];
}

/**
 * Whether a closed outline holds a point.
 * @param {number[][]} outline
 * @param {number[]} point
 */
export function holds(outline, [x, y]) {
  let inside = false;
  for (const [index, [ax, ay]] of outline.entries()) {
    const [bx, by] = outline[(index + 1) % outline.length];
    if (ay > y !== by > y && x < ax + ((y - ay) / (by - ay)) * (bx - ax)) inside = !inside;
  }
  return inside;
}

export function nearest(marks, [x, y], within) {
  let best = null;
  for (const candidate of points(marks)) {
    const away = Math.hypot(candidate.point[0] - x, candidate.point[1] - y);
    if (away <= within && (!best || away < best.away)) best = { ...candidate, away };
  }
  return best;
}

/** A root's path as it is kept, from the trunk outward, whichever end was set first. */
export function outward(path, trunks) {
  const away = (point) => Math.min(...trunks.map((one) => (holds(one.outline, point) ? 0 : ontoOutline(one.outline, point).away)));
  return trunks.length && away(path[0]) > 2 * away(path.at(-1)) + 1 ? path.toReversed() : path;
}

/** The first of the letters at hand that no root of this photo bears. */
export function freeLetter(roots, letters) {
  const used = new Set(roots.map((root) => root.label));
  return letters.find((letter) => !used.has(letter));
}

export const centreOf = (outline) => [0, 1].map((i) => outline.reduce((sum, p) => sum + p[i], 0) / outline.length);

/** The ellipse in the box between two corners, as points clockwise from its top. */
export function ellipse([ax, ay], [bx, by], count = 36) {
  return Array.from({ length: count }, (_, i) => {
    const turn = (i * 2 * Math.PI) / count;
    return [(ax + bx) / 2 + (Math.abs(bx - ax) / 2) * Math.sin(turn), (ay + by) / 2 - (Math.abs(by - ay) / 2) * Math.cos(turn)];
  });
}

const SETTLING_ROUNDS = 40;
const SMOOTH_POINTS = 96;

/**
 * The closed smooth curve through the points of an outline, as the figures take it: a periodic
 * cubic spline over the lengths of its chords.
 * @param {number[][]} outline
 */
export function smooth(outline, wanted = SMOOTH_POINTS) {
  const count = outline.length;
  if (count < 3) return outline;
  const at = (list, i) => list[(i + count) % count];
  const chords = outline.map((point, i) => Math.hypot(at(outline, i + 1)[0] - point[0], at(outline, i + 1)[1] - point[1]) || 1e-6);
  const bends = [0, 1].map((axis) => {
    const bend = new Array(count).fill(0);
    // Each equation is ruled by its own unknown, so that going round a few times solves them.
    for (let round = 0; round < SETTLING_ROUNDS; round += 1) {
      for (let i = 0; i < count; i += 1) {
        const [before, after] = [at(chords, i - 1), chords[i]];
        const [was, is, next] = [-1, 0, 1].map((step) => at(outline, i + step)[axis]);
        const pull = 6 * ((next - is) / after - (is - was) / before);
        bend[i] = (pull - before * at(bend, i - 1) - after * at(bend, i + 1)) / (2 * (before + after));
      }
    }
    return bend;
  });
  const steps = Math.max(1, Math.ceil(wanted / count));
  return outline.flatMap((_, i) =>
    Array.from({ length: steps }, (__, step) => {
      const along = (step / steps) * chords[i];
      const left = chords[i] - along;
      return bends.map((bend, axis) => {
        const [from, to, h] = [outline[i][axis], at(outline, i + 1)[axis], chords[i]];
        const arc = (bend[i] * left ** 3 + at(bend, i + 1) * along ** 3) / (6 * h);
        return arc + (from / h - (bend[i] * h) / 6) * left + (to / h - (at(bend, i + 1) * h) / 6) * along;
      });
    }),
  );
}

/** The place on a closed outline nearest to a point, with its distance. */
export function ontoOutline(outline, [x, y]) {
  let best = { away: Infinity, point: [x, y] };
  for (const [index, [ax, ay]] of outline.entries()) {
    const [bx, by] = outline[(index + 1) % outline.length];
    const long = (bx - ax) ** 2 + (by - ay) ** 2 || 1;
    const share = Math.min(1, Math.max(0, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / long));
    const point = [ax + share * (bx - ax), ay + share * (by - ay)];
    const away = Math.hypot(point[0] - x, point[1] - y);
    if (away < best.away) best = { away, point };
  }
  return best;
}
