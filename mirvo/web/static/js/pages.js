/* Small behaviours of ordinary pages; every page works without them. */

import { UNREACHED, whyNot } from "./answers.js";
import { sendWatched, watchPage } from "./job.js";
import { studio } from "./studio.js";
import "./typed.js";

document.documentElement.classList.add("with-script");

/* Browsers have it only on this computer and over https. */
navigator.serviceWorker?.register(`${document.documentElement.dataset.worker}&studio=${studio}`, { scope: "/" }).catch(() => {});

document.addEventListener("keydown", (event) => {
  const typing = event.target.closest("input, textarea, select, dialog");
  if (event.key === "/" && !typing) {
    const find = document.querySelector("[data-find]");
    if (find && find.offsetParent) {
      event.preventDefault();
      find.focus();
    }
  }
});

/* What was found is walked through with the arrow keys; Esc leaves it. */
document.querySelector(".find")?.addEventListener("keydown", (event) => {
  const stops = [...event.currentTarget.querySelectorAll("[data-find], .found a")];
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (step) {
    event.preventDefault();
    stops[(stops.indexOf(event.target) + step + stops.length) % stops.length].focus();
  } else if (event.key === "Escape") {
    document.activeElement.blur();
  }
});

/* Where a table is too wide for the screen each line becomes a card: its cells say their column. */
function label(root) {
  for (const table of root.querySelectorAll(".scroll > table.ledger:not(.labelled)")) {
    const heads = [...table.querySelectorAll("thead th, thead td")].map((head) => head.textContent.replace(/\s+/g, " ").trim());
    for (const row of table.querySelectorAll("tr")) {
      if (row.closest("thead")) continue;
      [...row.cells].forEach((cell, column) => (cell.dataset.label = heads[column] ?? ""));
    }
    table.classList.add("labelled");
  }
}
label(document);
document.addEventListener("htmx:load", (event) => label(event.target));

function complain(list, words) {
  const line = document.createElement("li");
  line.className = "complaint";
  line.textContent = words;
  list.append(line);
}

/* Intake of photos one request a file, so that progress is true and one bad file stops nothing. */
const intake = document.querySelector("[data-intake]");
if (intake) {
  intake.addEventListener("submit", async (event) => {
    event.preventDefault();
    const inputs = [...intake.querySelectorAll("input[type=file]")];
    const button = intake.querySelector("button");
    const progress = intake.querySelector("[data-progress]");
    const results = intake.querySelector("[data-results]");
    const files = inputs.flatMap((input) => [...input.files]);
    results.replaceChildren();
    progress.hidden = false;
    progress.max = files.length;
    button.disabled = true;
    let refused = 0;
    for (const [index, file] of files.entries()) {
      const body = new FormData();
      for (const name of ["kind", "taken_on"]) body.append(name, intake.querySelector(`[name=${name}]`).value);
      body.append("files", file);
      try {
        const answer = await fetch(intake.action, { method: "POST", body, headers: { "HX-Request": "true", Accept: "application/json" } });
        if (answer.ok) results.insertAdjacentHTML("beforeend", await answer.text());
        else complain(results, `${file.name}: ${await whyNot(answer)} It is still chosen; try again.`);
      } catch {
        complain(results, `${file.name}: ${UNREACHED} It is still chosen; try again.`);
      }
      refused = results.querySelectorAll(".complaint").length;
      progress.value = index + 1;
    }
    button.disabled = false;
    // What was refused stays chosen, to be tried again; the list shows what went in.
    if (!refused) for (const input of inputs) input.value = "";
    const list = { target: "#photo-list", select: "#photo-list", swap: "outerHTML" };
    if (files.length) window.htmx?.ajax("GET", window.location.pathname, list);
  });
  intake.querySelector("[data-camera]")?.addEventListener("change", () => intake.requestSubmit());
}

/* What takes a while shows how far it is, and can be stopped. */
document.addEventListener("submit", (event) => {
  const panel = document.querySelector("[data-working]");
  if (!panel || !("takesTime" in event.target.dataset)) return;
  event.preventDefault();
  sendWatched(event.target, panel);
});
const shownJob = document.querySelector("[data-job]");
if (shownJob) watchPage(shownJob);

/* Arrow keys go on to the next photo and back. */
document.addEventListener("keydown", (event) => {
  const way = { ArrowLeft: "[data-previous]", ArrowRight: "[data-next]" }[event.key];
  if (!way || event.target.closest("input, textarea, select, dialog, [role=slider]")) return;
  document.querySelector(way)?.click();
});

/* A day is typed with its month by name; a calendar to pick it from stands beside. */
const SHORT_DAY = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });

function addCalendar(typed) {
  const picked = document.createElement("input");
  Object.assign(picked, { type: "date", tabIndex: -1, className: "picked-day" });
  picked.setAttribute("aria-hidden", "true");
  const button = document.createElement("button");
  Object.assign(button, { type: "button", className: "pick-day", textContent: "▾" });
  button.setAttribute("aria-label", "Pick the day from a calendar");
  button.addEventListener("click", () => picked.showPicker());
  picked.addEventListener("change", () => {
    if (picked.value) typed.value = SHORT_DAY.format(new Date(picked.value)).replace("Sept", "Sep");
    typed.dispatchEvent(new Event("change", { bubbles: true }));
  });
  const around = document.createElement("span");
  around.className = "day-field";
  typed.replaceWith(around);
  around.append(typed, picked, button);
}
for (const typed of document.querySelectorAll("[data-day]")) addCalendar(typed);

/* A choice that is sent as soon as it is made. */
document.addEventListener("change", (event) => {
  if ("send" in event.target.dataset) event.target.form.requestSubmit();
});
