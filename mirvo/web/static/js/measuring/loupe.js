/* A round magnifier over the photo: where exactly the next point comes to lie. */

const SIDE = 132;
const CLOSER = 3;

export class Loupe {
  constructor(canvas, image, view) {
    this.canvas = canvas;
    this.image = image;
    this.view = view;
    this.on = false;
    canvas.width = canvas.height = SIDE * devicePixelRatio;
  }

  toggle() {
    this.on = !this.on;
    if (!this.on) this.hide();
  }

  /**
   * Show what lies under a place on the surface, the glass above it.
   * @param {number[]} at on the screen, px
   */
  show([x, y]) {
    const [u, v] = this.view.toPhoto([x, y]);
    const scale = this.image.naturalWidth / this.view.size[0];
    const half = SIDE / 2 / (this.view.zoom * CLOSER);
    const pen = this.canvas.getContext("2d");
    const side = this.canvas.width;
    pen.fillStyle = "#3b3832";
    pen.fillRect(0, 0, side, side);
    pen.drawImage(this.image, (u + 0.5 - half) * scale, (v + 0.5 - half) * scale, 2 * half * scale, 2 * half * scale, 0, 0, side, side);
    pen.strokeStyle = "#fff";
    pen.lineWidth = devicePixelRatio;
    pen.beginPath();
    pen.moveTo(side / 2, side * 0.36);
    pen.lineTo(side / 2, side * 0.64);
    pen.moveTo(side * 0.36, side / 2);
    pen.lineTo(side * 0.64, side / 2);
    pen.stroke();
    const { width } = this.view.surface.getBoundingClientRect();
    const left = Math.min(width - SIDE, Math.max(0, x - SIDE / 2));
    const top = y - SIDE - 34 < 0 ? y + 34 : y - SIDE - 34;
    this.canvas.style.transform = `translate(${left}px, ${top}px)`;
    this.canvas.hidden = false;
  }

  hide() {
    this.canvas.hidden = true;
  }
}
