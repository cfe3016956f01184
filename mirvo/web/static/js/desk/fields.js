/* The calibration fields beside the photo. */

const number = (input) => {
  const value = Number(input.value.trim().replace(",", "."));
  return input.value.trim() === "" || !Number.isFinite(value) ? null : value;
};

export class Fields {
  constructor(root, store) {
    this.root = root;
    this.store = store;
    this.inputs = Object.fromEntries([...root.querySelectorAll("[data-cal]")].map((one) => [one.dataset.cal, one]));
    this.trunk = root.querySelector("[data-trunk-height]");
    this.fill();
    root.addEventListener("change", () => this.#entered());
  }

  get kind() {
    return this.inputs.kind.value;
  }

  get trunkHeight() {
    return number(this.trunk) ?? 0;
  }

  /** A calibration from points with what the fields say. */
  calibration(points) {
    const figures = { length_mm: number(this.inputs.length_mm) ?? 100 };
    if (this.kind === "rectangle") figures.width_mm = number(this.inputs.width_mm) ?? 100;
    for (const name of ["height_above_root_plane_mm", "camera_height_mm"]) {
      const value = number(this.inputs[name]);
      if (value !== null) figures[name] = value;
    }
    return this.kind === "segment"
      ? { kind: "segment", a: points[0], b: points[1], ...figures }
      : { kind: "rectangle", corners: points, ...figures };
  }

  fill() {
    const cal = this.store.marks.calibration;
    if (cal) {
      for (const [name, input] of Object.entries(this.inputs)) {
        if (document.activeElement !== input) input.value = cal[name] ?? "";
      }
    } else if (!this.inputs.length_mm.value) {
      const remembered = JSON.parse(localStorage.getItem("mirvo-calibration") ?? "{}");
      for (const [name, input] of Object.entries(this.inputs)) input.value = remembered[name] ?? input.value;
      if (!this.inputs.kind.value) this.inputs.kind.value = "rectangle";
    }
    const trunk = this.store.marks.trunk;
    if (trunk && document.activeElement !== this.trunk) this.trunk.value = trunk.height_mm ?? 0;
    this.root.querySelector("[data-only=rectangle]").hidden = this.kind !== "rectangle";
  }

  #entered() {
    this.root.querySelector("[data-only=rectangle]").hidden = this.kind !== "rectangle";
    const remembered = Object.fromEntries(Object.entries(this.inputs).map(([name, input]) => [name, input.value]));
    localStorage.setItem("mirvo-calibration", JSON.stringify(remembered));
    const cal = this.store.marks.calibration;
    const same = cal && cal.kind === this.kind;
    const points = same ? cal.corners ?? [cal.a, cal.b] : null;
    this.store.change((marks) => {
      if (points) marks.calibration = this.calibration(points);
      if (marks.trunk) marks.trunk.height_mm = this.trunkHeight;
    });
  }
}
