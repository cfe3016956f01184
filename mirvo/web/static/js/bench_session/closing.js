/* Closing a session: only once all that was entered is with the server. */

export class Closing {
  #asked = false;

  /** queue, photos : what may still wait here. */
  constructor(root, queue, photos) {
    this.root = root;
    this.hands = [queue, photos];
    this.form = root.querySelector("[data-close]");
    this.said = root.querySelector("[data-close-said]");
    this.form.addEventListener("submit", (event) => this.#submit(event));
  }

  /** How many entries and photos are still on this device. */
  get waiting() {
    return this.hands.reduce((sum, one) => sum + one.waiting, 0);
  }

  #submit(event) {
    const wrong = this.root.querySelector("[data-complaint]:not([hidden])");
    if (!wrong && !this.waiting) return;
    event.preventDefault();
    if (wrong) {
      this.said.textContent = "Something you typed could not be kept. Put it right or empty it, then close.";
      wrong.closest(".field, fieldset, .step")?.scrollIntoView({ block: "center" });
      return;
    }
    this.#asked = true;
    this.said.textContent = `Handing over ${this.waiting} of your entries first …`;
  }

  /** A close that was asked for while entries were on their way happens once they are there. */
  goOn() {
    if (!this.#asked) return;
    if (this.hands.some((one) => one.lost)) {
      this.said.textContent = `${this.waiting} of your entries are still on this device. Close when the server has them.`;
    } else if (this.waiting) return;
    else this.form.requestSubmit();
    this.#asked = false;
  }
}
