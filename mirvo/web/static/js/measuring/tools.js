/* What a placed point means for each tool, and what to say while it is in hand. */

import { keepTrunks, freeLetter, ontoOutline, outward, ownerOf, put, putTrunk, trunksOf } from "./geometry.js";

const HINTS = {
  select: "Click a mark to see its points; drag one to move it, or use the arrow keys. Drag beside it to move the photo.",
  trunk: "Trunk: drag an ellipse round it, or go round its edge just above the flare; Enter closes it. Another outline is a second trunk.",
  flare: "Flare: go round the edge where the solid flare splits into roots; Enter closes it.",
  root: "Root: start at the trunk's edge and follow its crest outward; Enter at its end.",
  trace: "Tip: click where a root ends; its way back to the trunk is traced, and can be dragged right.",
  width: "Width of the chosen root near the trunk: a point on each edge.",
  end: "Width of the chosen root near its end: a point on each edge.",
  soil: "Soil line: set a point on it left and right of the trunk.",
  left: "Left edge: from the soil line up the trunk to twice its width; Enter at the top. s snaps it to the silhouette.",
  right: "Right edge: from the soil line up the trunk to twice its width; Enter at the top. s snaps it to the silhouette.",
  ball: "Ball: go round the bare ball out of its pot, from the root plane down and round; Enter closes it.",
  wood: "Wood: set a point on each side of a woody root, where it is deepest; again for the next.",
  try: "Try height: set a point where the soil or the rim might lie, up to three; drag it and the figures follow. The soil line stays.",
  emergence: "Root emerges: set a point where a root leaves the trunk; give it the letter it has from above.",
  point: "Place: a point also seen in another photo of the set; the same number means the same place. Two or more join photos whose card was moved.",
  front: "Front: set a point on the side the tree is seen from.",
};
const CALIBRATE_HINTS = {
  card: "Calibrate: the printed card is found by itself. Enter how high it lies above the roots.",
  segment: "Calibrate: set two points on a known length, seen from straight above.",
  rectangle: "Calibrate: set the four corners of a rim or tile, clockwise from its far left.",
  ellipse: "Calibrate: set five points or more all round the rim; Enter when done.",
};
const NO_EDGE = "No edge runs all round there, so the outline stays as you drew it, with a wider ±. Drag its points right, or go round it with clicks.";
const THEN_DRAWN = " They are then drawn to the edges seen; z takes that back.";
const LEAST = { trunk: 3, flare: 3, ball: 3, calibrate: 5 };
const CLOSED = ["trunk", "flare", "ball"];
const MAX_TRIED = 3;
const SNAP_PX = 12;
const WIDTHS = { width: "base_width", end: "end_width" };
const SIDE_MARKS = { soil: "soil_line", left: "left_edge", right: "right_edge" };

export class Tools {
  constructor(store, fields, assist) {
    this.store = store;
    this.fields = fields;
    this.assist = assist;
    this.tool = "select";
    this.chosen = null;
    this.note = "";
    this.resume();
  }

  /** Take the tool of a mark left half done, after an undo or a reload. */
  resume() {
    this.note = "";
    const { draft } = this.store.marks;
    if (draft) this.tool = draft.tool;
  }

  undo() {
    this.store.undo();
    this.resume();
  }

  redo() {
    this.store.redo();
    this.resume();
  }

  /** What the tool in hand asks for; first what became of the last mark, if that must be said. */
  get hint() {
    if (this.note) return this.note;
    if (this.tool === "calibrate") return CALIBRATE_HINTS[this.fields.kind] + this.#counted;
    if (!WIDTHS[this.tool]) return HINTS[this.tool] + this.#counted;
    const label = this.store.marks.roots[this.rootIndex]?.label;
    const said = label ? HINTS[this.tool].replace("the chosen root", `root ${label}`) : "Choose a root first: [ and ] go from one to the next.";
    return said + (label && this.fields.toFlanks ? THEN_DRAWN : "");
  }

  get #counted() {
    const set = this.#draft.length;
    if (!set) return "";
    return Number.isFinite(this.#wanted) ? ` ${set} of ${this.#wanted} set.` : ` ${set} set.`;
  }

  get rootIndex() {
    return this.#indexIn("roots");
  }

  #indexIn(list) {
    const owner = this.chosen ? ownerOf(this.chosen) : "";
    return owner.startsWith(`${list}/`) ? Number(owner.split("/")[1]) : -1;
  }

  choose(address) {
    this.chosen = address;
  }

  chooseRoot(index) {
    const { roots, emergences } = this.store.marks;
    const count = (roots ?? emergences).length;
    const place = (index + count) % count;
    this.chosen = count ? (roots ? `roots/${place}/path/0` : `emergences/${place}/point`) : null;
  }

  take(tool) {
    this.note = "";
    if (this.tool !== tool && this.store.marks.draft) this.finish();
    this.tool = tool;
    if (tool === "calibrate") {
      this.fields.root.open = true;
      if (this.fields.kind === "card") this.fields.entered();
    }
    if ((tool === "width" || tool === "end") && this.rootIndex < 0) {
      this.chooseRoot(this.store.marks.roots.length - 1);
    }
  }

  get #draft() {
    const draft = this.store.marks.draft;
    return draft && draft.tool === this.tool ? draft.points : [];
  }

  /** Put a point; marks with a known number of points finish by themselves. */
  place(point, zoom = 1) {
    this.note = "";
    if (this.tool === "select") return;
    if (this.tool === "trace") {
      this.assist.trace(point).then((index) => index >= 0 && this.chooseRoot(index));
      return;
    }
    if (this.tool === "front") {
      this.store.change((marks) => { marks.front = point; });
      this.chosen = "front";
      this.tool = "select";
      return;
    }
    if (this.tool === "point") {
      this.store.change((marks) => {
        marks.points ??= {};
        let number = 1;
        while (marks.points[number]) number += 1;
        marks.points[number] = point;
      });
      return;
    }
    if (this.tool === "try") {
      if (!this.store.marks.soil_line || (this.store.marks.tried ?? []).length >= MAX_TRIED) return;
      this.store.change((marks) => { marks.tried = [...(marks.tried ?? []), { line: "soil line", point }]; });
      this.chosen = `tried/${this.store.marks.tried.length - 1}/point`;
      this.tool = "select";
      return;
    }
    if (this.tool === "emergence") {
      this.store.change((marks) => marks.emergences.push({ label: freeLetter(marks.emergences, this.store.letters), point }));
      return;
    }
    if ((this.tool === "width" || this.tool === "end") && this.rootIndex < 0) return;
    if (this.tool === "calibrate" && this.fields.kind === "card") return;
    if (this.tool === "wood" && !this.store.marks.ball) return;
    if (this.#closes(point, zoom)) {
      this.finish();
      return;
    }
    const placed = [...this.#draft, this.#snapped(point, zoom)];
    const kind = this.tool === "calibrate" ? { kind: this.fields.kind } : {};
    this.store.change((marks) => { marks.draft = { tool: this.tool, ...kind, points: placed }; });
    if (placed.length === this.#wanted) this.finish();
  }

  /** A root begins on the trunk's outline when it is set close to it. */
  #snapped(point, zoom) {
    if (this.tool !== "root" || this.#draft.length) return point;
    const onto = trunksOf(this.store.marks).map((one) => ontoOutline(one.outline, point));
    if (!onto.length) return point;
    const found = onto.reduce((best, one) => (one.away < best.away ? one : best));
    return found.away * zoom <= SNAP_PX ? found.point.map((v) => Math.round(v * 10) / 10) : point;
  }

  /** A click on the first point closes an outline. */
  #closes([x, y], zoom) {
    const drawn = this.#draft;
    if (!CLOSED.includes(this.tool) || drawn.length < LEAST[this.tool]) return false;
    return Math.hypot(drawn[0][0] - x, drawn[0][1] - y) * zoom <= SNAP_PX;
  }

  get #wanted() {
    if (this.tool === "calibrate") return this.fields.wanted;
    return ["width", "end", "soil", "wood"].includes(this.tool) ? 2 : Infinity;
  }

  /** A trunk dragged as an ellipse: set to the edge seen there, if one runs all round. */
  async drag(ellipse) {
    const follows = await this.assist.outline(ellipse, this.fields.trunkHeight);
    this.take("select");
    if (follows === false) this.note = NO_EDGE;
  }

  /** Done with the mark in hand; too few points are dropped. */
  finish() {
    const points = this.#draft;
    const tool = this.tool;
    const enough = points.length >= (LEAST[tool] ?? 2);
    const counted = tool === "calibrate" && Number.isFinite(this.#wanted);
    const complete = counted ? points.length === this.#wanted : enough;
    if (!points.length) {
      this.tool = tool === "width" ? "root" : "select";
      return;
    }
    this.store.change((marks) => {
      delete marks.draft;
      if (complete) this.#keep(marks, tool, points);
    });
    if (!complete) {
      this.note = `Too few points, so nothing was marked: ${points.length} of ${counted ? this.#wanted : `at least ${LEAST[tool] ?? 2}`}. Undo (z) brings them back.`;
      return;
    }
    if (WIDTHS[tool] && this.fields.toFlanks) this.assist.flanks(this.rootIndex, WIDTHS[tool]);
    this.#after(tool);
  }

  #keep(marks, tool, points) {
    if (SIDE_MARKS[tool]) marks[SIDE_MARKS[tool]] = points;
    if (tool === "trunk") putTrunk(marks, this.fields.trunkOf(points));
    if (tool === "ball") marks.ball = { wood: [], ...marks.ball, outline: points };
    if (tool === "wood") marks.ball.wood.push(points);
    if (tool === "flare") marks.flare = { outline: points };
    if (tool === "calibrate") marks.calibration = { ...this.fields.calibration(points) };
    if (tool === "root") marks.roots.push({ label: freeLetter(marks.roots, this.store.letters), path: outward(points, trunksOf(marks)) });
    if (WIDTHS[tool]) put(marks, `roots/${this.rootIndex}/${WIDTHS[tool]}`, points);
  }

  #after(tool) {
    if (tool === "root") {
      this.chooseRoot(this.store.marks.roots.length - 1);
      this.tool = "width";
    } else if (tool === "width") {
      // The next root that has none yet, then new roots again.
      const next = this.store.marks.roots.findIndex((root) => !root.base_width);
      if (next >= 0) this.chooseRoot(next);
      this.tool = next >= 0 ? "width" : "root";
    } else if (tool === "ball" || tool === "wood") {
      this.tool = "wood";
    } else if (tool === "left" || tool === "right") {
      this.chosen = `${SIDE_MARKS[tool]}/0`;
      this.tool = "select";
    } else {
      this.tool = "select";
    }
  }

  /** Take back the last point of the mark in hand, else remove the chosen point. */
  back() {
    if (this.store.marks.draft) {
      this.store.change((marks) => {
        marks.draft.points.pop();
        if (!marks.draft.points.length) delete marks.draft;
      });
    } else if (this.chosen) {
      this.#removePoint(this.chosen);
    }
  }

  #removePoint(address) {
    const keys = address.split("/");
    const index = Number(keys.pop());
    const kind = keys[keys.length - 1];
    const least = { path: 2, outline: 3, left_edge: 2, right_edge: 2 }[kind];
    if (!least) return;
    this.store.change((marks) => {
      const owner = keys.reduce((part, key) => part[key], marks);
      if (owner.length <= least) return;
      owner.splice(index, 1);
      // The root ends where the artist says from now on.
      if (kind === "path" && index === owner.length) delete marks.roots[keys[1]].tip_sd_px;
    });
    this.chosen = `${keys.join("/")}/${Math.max(0, index - 1)}`;
  }

  /** Remove the whole chosen mark. */
  remove() {
    if (!this.chosen) return;
    const owner = ownerOf(this.chosen);
    const [list, index] = owner.split("/");
    this.store.change((marks) => {
      if (list === "points") delete marks.points[index];
      else if (list === "trunks") keepTrunks(marks, marks.trunks.filter((_, place) => place !== Number(index)));
      else if (owner.startsWith("ball/wood/")) marks.ball.wood.splice(Number(owner.split("/")[2]), 1);
      else if (owner === "ball") delete marks.ball;
      else if (index && Array.isArray(marks[list])) marks[list].splice(Number(index), 1);
      else if (owner === "draft") delete marks.draft;
      else marks[owner] = null;
    });
    this.chosen = null;
  }

  /** Draw the chosen mark onto the picture's own edges: a root's width, or a silhouette's edge. */
  snap() {
    const owner = this.chosen ? ownerOf(this.chosen) : "";
    if (owner === "left_edge" || owner === "right_edge") this.assist.edge(owner);
    else if (this.rootIndex >= 0) this.assist.width(this.rootIndex);
  }

  height() {
    const index = this.rootIndex;
    if (index < 0) return;
    this.store.change((marks) => {
      const order = ["on", "above", "below"];
      const now = order.indexOf(marks.roots[index].height ?? "on");
      marks.roots[index].height = order[(now + 1) % 3];
    });
  }
}
