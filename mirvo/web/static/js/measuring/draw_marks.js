/* Draws the marks over the photo. */

import { centreOf, isPoint, levelThrough, ownerOf, points, smooth, trunksOf } from "./geometry.js";

const SVG = "http://www.w3.org/2000/svg";
const HANDLE_PX = 7;
const LABEL_PX = 18;
const ROLE = { left: "trunk", right: "trunk", ball: "flare", wood: "width" };

function element(name, attributes, text = "") {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  made.textContent = text;
  return made;
}

function line(group, drawn, role, closed = false) {
  if (!drawn || drawn.length < 2) return;
  const d = `M${drawn.map((p) => p.join(" ")).join("L")}${closed ? "Z" : ""}`;
  group.append(element("path", { d, class: "mark-halo" }), element("path", { d, class: `mark ${role}` }));
}

export function drawMarks(overlay, marks, { zoom, chosen, cross, ghosts = [], ghost = null, rough = null }) {
  const group = element("g", {});
  const cal = marks.calibration;
  if (cal?.kind === "segment") line(group, [cal.a, cal.b], "calibration-mark");
  if (cal?.kind === "ellipse") line(group, cal.points, "calibration-mark", true);
  if (cal?.kind === "rectangle") line(group, cal.corners, "calibration-mark", true);
  if (marks.flare) line(group, smooth(marks.flare.outline), "flare-mark", true);
  const trunks = trunksOf(marks);
  for (const one of trunks) line(group, smooth(one.outline), "trunk-mark", true);
  if (trunks.length && isPoint(marks.front)) {
    line(group, [centreOf(trunks.flatMap((one) => one.outline)), marks.front], "front-mark");
  }
  const owner = chosen ? ownerOf(chosen) : null;
  for (const name of ["left_edge", "right_edge"]) line(group, marks[name], "trunk-mark");
  line(group, marks.soil_line, "soil-mark");
  if (marks.soil_line) {
    for (const { point } of marks.tried ?? []) line(group, levelThrough(point, marks.soil_line), "try-mark");
  }
  if (marks.ball) line(group, marks.ball.outline, "flare-mark", true);
  for (const pair of marks.ball?.wood ?? []) line(group, pair, "width-mark");
  for (const [index, root] of (marks.roots ?? []).entries()) {
    line(group, root.path, `root-mark${owner === `roots/${index}` ? " chosen" : ""}`);
    line(group, root.base_width, "width-mark");
    line(group, root.end_width, "width-mark");
  }
  if (rough) line(group, rough, "trunk-mark ghost-mark", true);
  for (const one of ghosts) drawGhost(group, one, one === ghost, zoom);
  if (marks.draft) line(group, marks.draft.points, `${ROLE[marks.draft.tool] ?? marks.draft.tool}-mark`);
  handles(group, marks, zoom, chosen, owner);
  labels(group, marks, zoom);
  if (cross) {
    const arm = 14 / zoom;
    const [x, y] = cross;
    group.append(element("path", { class: "cross", d: `M${x - arm} ${y}H${x + arm}M${x} ${y - arm}V${y + arm}` }));
  }
  overlay.replaceChildren(group);
}

function drawGhost(group, { path, base_width: across, confidence, doubtful }, current, zoom) {
  const role = `ghost-mark${current ? " current" : ""}`;
  line(group, path, role);
  line(group, across, role);
  const [x, y] = path[path.length - 1];
  const text = `${current ? "this: " : ""}${Math.round(confidence * 100)}%${doubtful ? " ?" : ""}`;
  group.append(element("text", { x, y: y - 8 / zoom, class: "mark-label", "font-size": (LABEL_PX * 0.8) / zoom, "text-anchor": "middle" }, text));
}

/** Marks that are a point by themselves are always seen. */
const ALONE = /^(front$|points\/|emergences\/|tried\/)/;

function handles(group, marks, zoom, chosen, owner) {
  for (const { address, point, name } of points(marks)) {
    const mine = ownerOf(address) === owner || address.startsWith("draft/");
    const alone = !mine && ALONE.test(address);
    const role = address === chosen ? " chosen" : mine || alone ? "" : " idle";
    const handle = element("circle", {
      cx: point[0], cy: point[1], r: (alone ? HANDLE_PX * 0.6 : HANDLE_PX) / zoom,
      class: `handle${role}`,
      "data-address": address,
    });
    handle.append(element("title", {}, name));
    group.append(handle);
  }
}

/** Where a label stands clear of those set before it: farther out, as long as it must. */
function clearOf(taken, [x, y], [dx, dy], zoom) {
  const apart = (LABEL_PX * 1.15) / zoom;
  for (let out = LABEL_PX * 0.8; out < LABEL_PX * 5; out += LABEL_PX * 0.6) {
    const place = [x + (dx * out) / zoom, y + (dy * out) / zoom];
    if (taken.every((other) => Math.hypot(place[0] - other[0], place[1] - other[1]) >= apart)) return place;
  }
  return [x, y];
}

function labels(group, marks, zoom) {
  const write = (x, y, text) =>
    group.append(element("text", { x, y, class: "mark-label", "font-size": LABEL_PX / zoom, "text-anchor": "middle" }, text));
  for (const one of marks.emergences ?? []) write(one.point[0], one.point[1] - 12 / zoom, one.label);
  for (const [index, { point }] of (marks.soil_line ? marks.tried ?? [] : []).entries()) {
    const [[x, y]] = levelThrough(point, marks.soil_line);
    write(x - 24 / zoom, y + 6 / zoom, `try ${index + 1}`);
  }
  for (const [name, [x, y]] of Object.entries(marks.points ?? {})) write(x, y - 12 / zoom, name);
  const taken = [];
  const put = ([x, y], ahead, text) => {
    const place = clearOf(taken, [x, y], ahead, zoom);
    taken.push(place);
    // Text stands on its line; its middle is a third of its height above.
    write(place[0], place[1] + LABEL_PX / 3 / zoom, text);
  };
  const outlines = trunksOf(marks).flatMap((one) => one.outline);
  for (const { path, label } of marks.roots ?? []) {
    const tip = path[path.length - 1];
    put(tip, direction(path.length > 1 ? path[path.length - 2] : tip, tip), label);
  }
  if (isPoint(marks.front)) put(marks.front, direction(outlines.length ? centreOf(outlines) : marks.front, marks.front), "front");
}

/** From one point to another, of length 1; up where they are one. */
function direction([ax, ay], [bx, by]) {
  const length = Math.hypot(bx - ax, by - ay);
  return length ? [(bx - ax) / length, (by - ay) / length] : [0, -1];
}
