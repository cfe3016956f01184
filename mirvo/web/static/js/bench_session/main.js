/* A session at the bench: every entry is kept here at once and handed to the server. */

import { Clock } from "./clock.js";
import { Photos } from "./photos.js";
import { Queue } from "./queue.js";
import { showOneStep } from "./steps.js";
import { listenKnobs } from "../knobs.js";

const root = document.querySelector("[data-bench]");
const { bench } = root.dataset;
const queue = new Queue(bench);
const photos = new Photos(bench);
const save = root.querySelector("[data-save]");
/* A number with or without a unit, and one without. */
const NUMBER = /^[-+−]?[\d.,/ -]*\d\s*(mm|cm|m|in\.?|inch|inches|["″”])?$/i;
const MM_PER_INCH = 25.4;
const BARE = /^[-+−]?[\d.,/ -]+$/;
const moment = (text) => (text ? Date.parse(text) : null);
const clock = "bares" in root.dataset ? new Clock(root.querySelector("[data-bar]"), moment(root.dataset.lifted), moment(root.dataset.covered)) : null;
let lifted = moment(root.dataset.lifted);
let covered = moment(root.dataset.covered);

function decisionOf(item, action) {
  const label = item.dataset.root;
  const range = item.querySelector("input[type=range]");
  const chosen = item.querySelector(`input[value="${action}"]`);
  const advised = Number(chosen?.dataset.advised);
  const part = range ? 1 - Number(range.value) / 100 : advised || Number(root.dataset.half);
  return { action, part, why: item.querySelector(`[name="why:${label}"]`).value };
}

function findingsOf(item) {
  const found = {};
  for (const one of item.querySelectorAll("[data-seen]")) {
    const { seen } = one.dataset;
    if (seen === "feeders") found.feeders = one.value === "" ? null : Number(one.value);
    else if (seen === "feeds") found.feeds = one.value.split(",").map((name) => name.trim()).filter(Boolean);
    else found[seen] = one.value;
  }
  return found;
}

function enterRoot(item, input) {
  const label = item.dataset.root;
  if (input.dataset.seen) return queue.push(`seen:${label}`, findingsOf(item));
  if ("waits" in input.dataset) return queue.push(`waits:${label}`, input.value || null);
  const chosen = item.querySelector(`input[type=radio]:checked`);
  if (!chosen && !input.name.startsWith("why:")) return null;
  return queue.push(`root:${label}`, decisionOf(item, chosen ? chosen.value : "keep"));
}

function valueOf(input) {
  if (input.dataset.hours !== undefined) {
    const all = input.closest("fieldset").querySelectorAll("input:checked");
    return [...all].map((one) => Number(one.value));
  }
  if (input.type === "checkbox") return input.checked;
  if (input.dataset.number !== undefined) return numberOf(input);
  return input.value;
}

/** A typed number with its unit where the page speaks of inches; null where nothing is typed. */
function numberOf(input) {
  const typed = input.value.trim();
  if (typed === "") return null;
  return input.dataset.unit && BARE.test(typed) ? `${typed} ${input.dataset.unit}` : typed;
}

/** A length of mm as this page says lengths, its unit left to the page. */
function lengthSaid(mm) {
  return document.documentElement.dataset.units === "inches" ? (mm / MM_PER_INCH).toFixed(2) : Math.round(mm);
}

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
  } else if (item) enterRoot(item, input);
  else if (input.dataset.field) {
    const wrong = input.dataset.number !== undefined && input.value.trim() !== "" && !NUMBER.test(input.value.trim());
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
    queue.push(`root:${label}`, { ...decisionOf(item, "shorten"), part: 1 - share });
  },
});

function fill(name, html) {
  const part = root.querySelector(`[data-part="${name}"]`);
  if (!part) return;
  const held = part.contains(document.activeElement) ? document.activeElement : null;
  const open = [...part.querySelectorAll("[data-root] details[open]")].map((one) => one.closest("[data-root]").dataset.root);
  const item = held?.closest("[data-root]")?.dataset.root;
  const again = held && (held.name ? `[name="${held.name}"]${held.type === "radio" ? `[value="${held.value}"]` : ""}` : held.dataset.seen ? `[data-root="${item}"] [data-seen="${held.dataset.seen}"]` : null);
  part.innerHTML = html;
  for (const label of open) part.querySelector(`[data-root="${label}"] details`)?.setAttribute("open", "");
  if (again) part.querySelector(again)?.focus({ preventScroll: true });
  markRadios();
}

function markRadios() {
  for (const one of root.querySelectorAll("input[type=radio]")) one.dataset.was = one.checked ? "yes" : "";
}

/* What is under a finger stays there till it is lifted: a button that moved away meanwhile would not be tapped, and a
 * knob would be lost. */
let pressed = false;
let parts = {};
/* The step in which something was entered that adds or removes steps. */
let reshaped = "";
function fillParts() {
  if (pressed) return;
  for (const [name, html] of Object.entries(parts)) fill(name, html);
  parts = {};
}
queue.addEventListener("parts", ({ detail }) => {
  if (reshaped && !photos.waiting) {
    history.replaceState(null, "", `#${reshaped}`);
    location.reload();
    return;
  }
  parts = { ...parts, ...detail };
  fillParts();
});
addEventListener("pointerdown", () => (pressed = true), true);
for (const name of ["pointerup", "pointercancel", "blur"]) {
  addEventListener(name, () => {
    pressed = false;
    // Once the tap itself has been heard.
    setTimeout(fillParts);
  });
}
/** One word on entries and photos alike: nothing is called kept while either still waits here. */
function sayKept() {
  const why = queue.lost ? queue.why : photos.lost ? photos.why : "";
  save.dataset.state = why ? "lost" : waiting() ? "waiting" : "kept";
  const said = { kept: "All is kept.", waiting: "Keeping …", lost: `${why} ${waiting()} kept on this device, handed over as soon as it can be. Go on.` };
  save.textContent = said[save.dataset.state];
}
for (const hands of [queue, photos]) {
  hands.addEventListener("state", () => {
    sayKept();
    goOnClosing();
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
const closeForm = root.querySelector("[data-close]");
const closeSaid = root.querySelector("[data-close-said]");
let closing = false;
const waiting = () => queue.waiting + photos.waiting;
closeForm.addEventListener("submit", (event) => {
  const wrong = root.querySelector("[data-complaint]:not([hidden])");
  if (!wrong && !waiting()) return;
  event.preventDefault();
  if (wrong) {
    closeSaid.textContent = "Something you typed could not be kept. Put it right or empty it, then close.";
    wrong.closest(".field, fieldset, .step")?.scrollIntoView({ block: "center" });
    return;
  }
  closing = true;
  closeSaid.textContent = `Handing over ${waiting()} of your entries first …`;
});

/** A close that was asked for while entries were on their way happens once they are there. */
function goOnClosing() {
  if (!closing) return;
  if (queue.lost || photos.lost) closeSaid.textContent = `${waiting()} of your entries are still on this device. Close when the server has them.`;
  else if (waiting()) return;
  else closeForm.requestSubmit();
  closing = false;
}

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
markRadios();
queue.start();
photos.start();
