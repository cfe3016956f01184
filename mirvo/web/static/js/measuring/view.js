/* Zoom and pan: where the photo lies on the screen. */

export class View {
  constructor(surface, sheet, size) {
    this.surface = surface;
    this.sheet = sheet;
    this.size = size;
    this.zoom = 1;
    this.offset = [0, 0];
    this.fit();
    new ResizeObserver(() => this.fitted && this.fit()).observe(surface);
  }

  fit() {
    const { width, height } = this.surface.getBoundingClientRect();
    this.zoom = Math.min(width / this.size[0], height / this.size[1]);
    this.offset = [(width - this.size[0] * this.zoom) / 2, (height - this.size[1] * this.zoom) / 2];
    this.fitted = true;
    this.#apply();
  }

  /** Bring a mark and what lies about it into view, `times` its own size. */
  frame(outline, times) {
    const { width, height } = this.surface.getBoundingClientRect();
    const [xs, ys] = [0, 1].map((i) => outline.map((point) => point[i]));
    const [low, high] = [[Math.min(...xs), Math.min(...ys)], [Math.max(...xs), Math.max(...ys)]];
    const side = Math.max(high[0] - low[0], high[1] - low[1], 20) * times;
    const zoom = Math.min(width, height) / side;
    if (zoom <= this.zoom) return;
    this.zoom = Math.min(zoom, 4);
    this.offset = [width / 2 - ((low[0] + high[0]) / 2) * this.zoom, height / 2 - ((low[1] + high[1]) / 2) * this.zoom];
    this.fitted = false;
    this.#apply();
  }

  /**
   * @param {number[]} at on the screen, px
   * @param {number} factor
   */
  zoomAt([x, y], factor) {
    const zoom = Math.min(12, Math.max(0.05, this.zoom * factor));
    const kept = zoom / this.zoom;
    this.offset = [x - (x - this.offset[0]) * kept, y - (y - this.offset[1]) * kept];
    this.zoom = zoom;
    this.fitted = false;
    this.#apply();
  }

  zoomMiddle(factor) {
    const { width, height } = this.surface.getBoundingClientRect();
    this.zoomAt([width / 2, height / 2], factor);
  }

  pan(dx, dy) {
    this.offset = [this.offset[0] + dx, this.offset[1] + dy];
    this.fitted = false;
    this.#apply();
  }

  /** Place on the surface (px from its corner) of a pointer event. */
  local(event) {
    const box = this.surface.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  }

  /** Photo pixel under a place on the surface, kept inside the picture. */
  /** @param {number[]} at on the screen, px */
  toPhoto([x, y]) {
    return [0, 1].map((i) => {
      const value = ([x, y][i] - this.offset[i]) / this.zoom - 0.5;
      return Math.round(Math.min(this.size[i] - 1, Math.max(0, value)) * 10) / 10;
    });
  }

  #apply() {
    const [x, y] = this.offset;
    this.sheet.style.width = `${this.size[0]}px`;
    this.sheet.style.height = `${this.size[1]}px`;
    this.sheet.style.transform = `translate(${x}px, ${y}px) scale(${this.zoom})`;
    this.surface.dispatchEvent(new Event("viewchange"));
  }
}
