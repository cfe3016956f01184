/* All marks as a table of coordinates: an equal way to read and to edit them. */

import { points, put } from "./geometry.js";

export class MarksTable {
  constructor(details, store, choose) {
    this.details = details;
    this.body = details.querySelector("tbody");
    this.store = store;
    this.choose = choose;
    details.addEventListener("toggle", () => this.fill());
    this.body.addEventListener("change", (event) => this.#entered(event.target));
    this.body.addEventListener("focusin", (event) => this.choose(event.target.closest("tr").dataset.address));
  }

  fill() {
    if (!this.details.open || this.body.contains(document.activeElement)) return;
    this.body.replaceChildren(...[...points(this.store.marks)].map((one) => this.#row(one)));
  }

  #row({ address, point, name }) {
    const row = document.createElement("tr");
    row.dataset.address = address;
    const head = document.createElement("th");
    head.scope = "row";
    head.textContent = name;
    row.append(head);
    for (const [axis, value] of point.entries()) {
      const cell = document.createElement("td");
      const input = document.createElement("input");
      input.inputMode = "decimal";
      input.size = 6;
      input.value = String(Math.round(value * 10) / 10);
      input.dataset.axis = axis;
      input.setAttribute("aria-label", `${name}, ${axis ? "down" : "right"}, px`);
      cell.append(input);
      row.append(cell);
    }
    return row;
  }

  #entered(input) {
    const row = input.closest("tr");
    const place = [...row.querySelectorAll("input")].map((one) => Number(one.value.trim().replace(",", ".")));
    const inside = place.every((value, i) => Number.isFinite(value) && value >= 0 && value <= this.store.size[i] - 1);
    input.setAttribute("aria-invalid", String(!inside));
    if (inside) this.store.change((marks) => put(marks, row.dataset.address, place));
  }
}
