/* The calibration fields beside the photo. */

import { forget, keep, keptText, keptValue } from "../kept.js";
import { acrossOf, trunksOf } from "./geometry.js";

const BY_HAND = "mirvo-widths-by-hand";
/* How far the whole outline may lie off, one deviation, of the trunk's width: no picture tells the
   hand that drew it, so the artist does. */
const EDGE_OFF = { seen: 0, covered: 0.02, guessed: 0.05 };
const OF_ONE_PHOTO = ["camera_height_mm", "focal_length_35mm"];
const PER_UNIT = { mm: 1, cm: 10, in: 25.4, inch: 25.4, inches: 25.4, '"': 25.4, "″": 25.4 };

/** A typed number; a length comes in mm, whether it names its unit or is in that of its field. */
const number = (input) => {
  const found = /^(-?[\d.,]+)\s*(mm|cm|in|inch|inches|["″])?$/i.exec(input.value.trim());
  const unit = found?.[2]?.toLowerCase() ?? input.dataset.unit ?? "mm";
  const value = found ? Number(found[1].replace(",", ".")) * PER_UNIT[unit] : NaN;
  return Number.isFinite(value) ? value : null;
};

/** What a field shows of a kept value: a length in the unit of the field. */
const shown = (input, value) => (typeof value === "number" && input.dataset.unit === "in" ? Number((value / PER_UNIT.in).toFixed(4)) : value ?? "");

export class Fields {
  constructor(root, store) {
    this.root = root;
    this.store = store;
    this.inputs = Object.fromEntries([...root.querySelectorAll("[data-cal]")].map((one) => [one.dataset.cal, one]));
    this.trunk = root.querySelector("[data-trunk-height]");
    this.edge = root.querySelector("[data-trunk-edge]");
    this.turned = root.querySelector("[data-turned]");
    this.ballTrunk = root.querySelector("[data-ball-trunk]");
    this.flags = Object.fromEntries(["set", "underside", "flare_on_plane_only"].map((name) => [name, root.querySelector(`[data-${name.replaceAll("_", "-")}]`)]));
    this.flanks = root.querySelector("[data-to-flanks]");
    if (this.flanks) this.flanks.checked = keptText(BY_HAND) === null;
    this.flanks?.addEventListener("change", (event) => {
      event.stopPropagation();
      if (this.toFlanks) forget(BY_HAND);
      else keep(BY_HAND, "1");
    });
    this.picked = null;
    this.onPick = () => {};
    this.fill();
    root.addEventListener("change", (event) => this.entered(event.target === this.inputs.kind));
  }

  get kind() {
    return this.inputs.kind.value;
  }

  /** Whether widths set by hand are drawn to the edges seen; remembered in this browser. */
  get toFlanks() {
    return Boolean(this.flanks?.checked);
  }

  get trunkHeight() {
    return (this.trunk && number(this.trunk)) ?? 0;
  }

  /**
   * A trunk as clicked round, lying as surely as the artist says of its edge.
   * @param {number[][]} outline
   */
  trunkOf(outline) {
    const trunk = { outline, height_mm: this.trunkHeight };
    this.#sayEdge(trunk);
    return trunk;
  }

  #sayEdge(trunk) {
    const off = EDGE_OFF[this.edge?.value];
    if (off === 0) delete trunk.outline_sd_px;
    else if (off) trunk.outline_sd_px = Math.round(10 * off * acrossOf(trunk.outline)) / 10;
  }

  #showEdge(trunk) {
    const off = (trunk.outline_sd_px ?? 0) / acrossOf(trunk.outline);
    const names = Object.keys(EDGE_OFF);
    this.edge.value = names.find((name) => Math.abs(EDGE_OFF[name] - off) < 0.002) ?? "found";
    const sure = Math.round(196 * off);
    this.edge.querySelector("[value=found]").textContent = `was found: ±${sure}% of its width`;
  }

  /** A ball's wood is judged against the trunk; the narrowest width stands in for its diameter. */
  #ownTrunk(ball) {
    const value = number(this.ballTrunk);
    if (value === null) delete ball.trunk_diameter_mm;
    else ball.trunk_diameter_mm = value;
  }

  /** Points a calibration of the chosen kind needs; any number from five for an oval. */
  get wanted() {
    return { card: 0, segment: 2, rectangle: 4, ellipse: Infinity }[this.kind];
  }

  /** A calibration from points with what the fields say. */
  calibration(points) {
    const figures = {};
    // What nobody entered is not made up: the desk asks for it before it shows a figure.
    const asked = { segment: ["length_mm"], rectangle: ["length_mm", "width_mm"], ellipse: ["length_mm", "width_mm"] };
    for (const name of asked[this.kind] ?? []) {
      const value = number(this.inputs[name]);
      if (value !== null) figures[name] = value;
    }
    for (const name of ["height_above_root_plane_mm", ...OF_ONE_PHOTO]) {
      const value = number(this.inputs[name]);
      if (value !== null) figures[name] = value;
    }
    const marked = { card: {}, segment: { a: points[0], b: points[1] }, rectangle: { corners: points }, ellipse: { points } };
    return { kind: this.kind, ...marked[this.kind], ...figures };
  }

  #showKind() {
    for (const one of this.root.querySelectorAll("[data-for]")) one.hidden = !one.dataset.for.split(" ").includes(this.kind);
  }

  fill() {
    const cal = this.store.marks.calibration;
    const inHand = this.store.marks.draft?.kind;
    if (inHand) this.picked = inHand;
    if (cal?.kind === this.picked) this.picked = null;
    if (cal && !this.picked) {
      for (const [name, input] of Object.entries(this.inputs)) {
        if (document.activeElement !== input) input.value = shown(input, cal[name]);
      }
    } else if (!cal && !this.inputs.length_mm.value) {
      const remembered = keptValue("mirvo-calibration") ?? {};
      for (const [name, input] of Object.entries(this.inputs)) if (name in remembered) input.value = shown(input, remembered[name]);
      if (!remembered.kind) this.inputs.kind.value = "rectangle";
    }
    if (inHand) this.inputs.kind.value = inHand;
    const [trunk] = trunksOf(this.store.marks);
    for (const [name, box] of Object.entries(this.flags)) if (box) box.checked = Boolean(this.store.marks[name]);
    if (this.turned && document.activeElement !== this.turned) this.turned.value = this.store.marks.turntable_deg ?? 0;
    const ball = this.store.marks.ball;
    if (ball && this.ballTrunk && document.activeElement !== this.ballTrunk) this.ballTrunk.value = shown(this.ballTrunk, ball.trunk_diameter_mm);
    if (trunk && document.activeElement !== this.trunk) this.trunk.value = shown(this.trunk, trunk.height_mm ?? 0);
    if (trunk && this.edge && document.activeElement !== this.edge) this.#showEdge(trunk);
    this.#showKind();
  }

  /**
   * Take over what the fields say; a card needs no points and is sought at once. Another kind
   * than the photo has is kept picked until its points are set, and the old one holds so long.
   */
  entered(pickedKind = false) {
    this.#showKind();
    const kept = this.store.marks.calibration?.kind;
    this.picked = kept && kept !== this.kind && this.kind !== "card" ? this.kind : null;
    const lasting = Object.entries(this.inputs).filter(([name]) => !OF_ONE_PHOTO.includes(name));
    const remembered = Object.fromEntries(lasting.map(([name, input]) => [name, input === this.inputs.kind ? input.value : number(input)]));
    keep("mirvo-calibration", JSON.stringify(remembered));
    const cal = this.store.marks.calibration;
    const same = cal && cal.kind === this.kind;
    const points = same ? cal.corners ?? cal.points ?? [cal.a, cal.b] : null;
    this.store.change((marks) => {
      if (this.kind === "card") marks.calibration = this.calibration([]);
      else if (points) marks.calibration = this.calibration(points);
      for (const [name, box] of Object.entries(this.flags)) {
        if (box?.checked) marks[name] = true;
        else delete marks[name];
      }
      if (this.turned) marks.turntable_deg = number(this.turned) ?? 0;
      for (const one of trunksOf(marks)) {
        one.height_mm = this.trunkHeight;
        this.#sayEdge(one);
      }
      if (marks.ball) this.#ownTrunk(marks.ball);
    });
    if (pickedKind && this.kind !== "card") this.onPick();
  }
}
