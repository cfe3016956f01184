/* A session at the bench: every entry is kept here at once and handed to the server. */

import { Clock } from "./clock.js";
import { Closing } from "./closing.js";
import { decisionOf, isNoNumber, lengthSaid, rootEntry, valueOf } from "./entries.js";
import { Parts, markRadios } from "./parts.js";
import { Photos } from "./photos.js";
import { Queue } from "./queue.js";
import { showOneStep } from "./steps.js";
import { listenKnobs } from "../knobs.js";

const root = document.querySelector("[data-bench]");
const { bench } = root.dataset;
const queue = new Queue(bench);
const photos = new Photos(bench);
const parts = new Parts(root);
const closing = new Closing(root, queue, photos);
/* The part of a root that goes where nothing else is said. */
const half = Number(root.dataset.half);
const save = root.querySelector("[data-save]");
const moment = (text) => (text ? Date.parse(text) : null);
const clock = "bares" in root.dataset ? new Clock(root.querySelector("[data-bar]"), moment(root.dataset.lifted), moment(root.dataset.covered)) : null;
let lifted = moment(root.dataset.lifted);
let covered = moment(root.dataset.covered);
/* The step in which something was entered that adds or removes steps. */
let reshaped = "";

/** Says beside a field what is wrong with it; an empty message takes it back. */
function complain(input, message) {
  const field = input.closest(".field, fieldset") ?? input.closest("[data-step]");
  let said = field.querySelector("[data-complaint]");
  if (!said) {
    said = document.createElement("p");
    said.className = "complaint";
    said.dataset.complaint = "";
    said.setAttribute("role", "alert");
    field.append(said);
  }
  said.textContent = message;
  said.hidden = !message;
  if (message) input.setAttribute("aria-invalid", "true");
  else input.removeAttribute("aria-invalid");
}

function done(step, ticked) {
  root.querySelector(`[data-step="${step}"]`).classList.toggle("done", ticked);
  root.querySelector(`[data-go="${step}"]`).classList.toggle("done", ticked);
  if (step === "lift") lifted = ticked ? Date.now() : null;
  if (step === "fill") covered = ticked ? Date.now() : null;
  clock?.set(lifted, covered);
}

root.addEventListener("change", (event) => {
  const input = event.target;
  const item = input.closest("[data-root]");
  if (input.dataset.photo) {
    if (input.files.length) photos.add(input.dataset.photo, input.files[0]);
    input.value = "";
  } else if (item) {
    const entry = rootEntry(item, input, half);
    if (entry) queue.push(...entry);
  } else if (input.dataset.field) {
    const wrong = isNoNumber(input);
    complain(input, wrong ? `“${input.value.trim()}” is no number.` : "");
    if (wrong) return;
    queue.push(input.dataset.field, valueOf(input));
    if ("reshapes" in input.dataset) reshaped = input.closest("[data-step]").id;
  } else if (input.name?.startsWith("done:")) {
    const step = input.name.slice(5);
    queue.push(input.name, input.checked);
    done(step, input.checked);
  }
});
root.addEventListener("input", ({ target }) => {
  const item = target.type === "range" && target.closest("[data-root]");
  if (item) item.querySelector("[data-keeps]").textContent = lengthSaid((target.value / 100) * item.dataset.length);
});
/* What the plan proposes is entered as if it had been typed. */
root.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-use]");
  if (!button) return;
  const { use, value } = button.dataset;
  const inputs = [...root.querySelectorAll(`[data-field="${use}"]`)];
  const input = inputs.find((one) => one.type !== "radio" || one.value === value);
  if (!input) return;
  if (input.type === "radio") input.checked = true;
  else input.value = input.dataset.length !== undefined ? lengthSaid(Number(value)) : value;
  input.dispatchEvent(new Event("change", { bubbles: true }));
});
/* A radio that is chosen already lets go when it is chosen again. */
root.addEventListener("click", (event) => {
  const input = event.target;
  if (input.type !== "radio") return;
  if (input.dataset.was === "yes") {
    input.checked = false;
    const item = input.closest("[data-root]");
    queue.push(item ? `root:${item.dataset.root}` : input.dataset.field, null);
  }
  for (const one of root.querySelectorAll("input[type=radio]")) if (one.name === input.name) one.dataset.was = one.checked ? "yes" : "";
});
for (const form of root.querySelectorAll("[data-step] form")) form.addEventListener("submit", (event) => event.preventDefault());
listenKnobs(root, {
  dropped: (knob, share) => {
    const label = knob.dataset.knob;
    const item = root.querySelector(`[data-root="${label}"]`);
    queue.push(`root:${label}`, { ...decisionOf(item, "shorten", half), part: 1 - share });
  },
});

queue.addEventListener("parts", ({ detail }) => {
  if (reshaped && !photos.waiting) {
    history.replaceState(null, "", `#${reshaped}`);
    location.reload();
    return;
  }
  parts.put(detail);
});
/** One word on entries and photos alike: nothing is called kept while either still waits here. */
function sayKept() {
  const why = queue.lost ? queue.why : photos.lost ? photos.why : "";
  save.dataset.state = why ? "lost" : closing.waiting ? "waiting" : "kept";
  const said = { kept: "All saved.", waiting: "Saving …", lost: `${why} ${closing.waiting} kept on this device and sent as soon as there is a connection. Carry on.` };
  save.textContent = said[save.dataset.state];
}
for (const hands of [queue, photos]) {
  hands.addEventListener("state", () => {
    sayKept();
    closing.goOn();
  });
}
queue.addEventListener("refused", ({ detail }) => {
  const field = detail.entry?.field;
  const input = root.querySelector(`[data-field="${field}"], [name="${field}"]`);
  if (input) complain(input, detail.message);
});
photos.addEventListener("said", ({ detail: { step, text } }) => {
  root.querySelector(`[data-step="${step}"] [data-photo-said]`).textContent = text;
});
photos.addEventListener("kept", ({ detail: { step, photo } }) => {
  const link = document.createElement("a");
  link.href = `/photos/${photo}/desk`;
  const picture = new Image(88, 66);
  picture.src = `/photos/${photo}/thumb.jpg`;
  picture.alt = "Photo of this step";
  link.append(picture);
  root.querySelector(`[data-step="${step}"] [data-photo-said]`).before(link);
});
/* What was entered while the server was away, before this page was opened again. */
function showAgain() {
  for (const { field, value } of queue.entries) {
    for (const input of root.querySelectorAll(`[data-field="${field}"]`)) {
      if (input.dataset.hours !== undefined) input.checked = value.includes(Number(input.value));
      else if (input.type === "checkbox") input.checked = value;
      else if (input.type === "radio") input.checked = input.value === value;
      else input.value = value ?? "";
    }
    const [kind, label] = field.split(":");
    const item = label && root.querySelector(`[data-root="${CSS.escape(label)}"]`);
    if (kind === "root" && item) {
      for (const input of item.querySelectorAll("input[type=radio]")) input.checked = input.value === value?.action;
    }
    if (field.startsWith("done:")) {
      root.querySelector(`[name="${field}"]`).checked = value;
      done(field.slice(5), value);
    }
  }
}

showAgain();
showOneStep(root);
markRadios(root);
queue.start();
photos.start();
