/* Parts of the page that follow from what was entered, filled anew by the server. */

import { Idiomorph } from "../../vendor/idiomorph.js";

/** Which radios are chosen, so that one chosen again can let go. */
export function markRadios(root) {
  for (const one of root.querySelectorAll("input[type=radio]")) one.dataset.was = one.checked ? "yes" : "";
}

export class Parts {
  /* What is under a finger stays there till it is lifted: a button that moved away meanwhile would not be tapped, and
   * a knob would be lost. */
  #pressed = false;
  #waiting = {};

  constructor(root) {
    this.root = root;
    addEventListener("pointerdown", () => (this.#pressed = true), true);
    for (const name of ["pointerup", "pointercancel", "blur"]) {
      addEventListener(name, () => {
        this.#pressed = false;
        // Once the tap itself has been heard.
        setTimeout(() => this.#fill());
      });
    }
  }

  /** Put parts in place by name, now or as soon as no finger is down. */
  put(parts) {
    this.#waiting = { ...this.#waiting, ...parts };
    this.#fill();
  }

  #fill() {
    if (this.#pressed) return;
    for (const [name, html] of Object.entries(this.#waiting)) {
      const part = this.root.querySelector(`[data-part="${name}"]`);
      if (part) Idiomorph.morph(part, html, AS_IT_IS);
    }
    this.#waiting = {};
    markRadios(this.root);
  }
}

/* What is being typed and what was opened by hand stays; all else becomes what the server says. */
const AS_IT_IS = {
  morphStyle: /** @type {const} */ ("innerHTML"),
  ignoreActiveValue: true,
  callbacks: { beforeAttributeUpdated: (name, element) => !(name === "open" && element.localName === "details") },
};
