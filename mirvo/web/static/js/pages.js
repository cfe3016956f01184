/* Small behaviours of ordinary pages; every page works without them. */

import { sendWatched } from "./progress.js";

document.documentElement.classList.add("with-script");

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

/* Intake of photos one request a file, so that progress is true and one bad file stops nothing. */
const intake = document.querySelector("[data-intake]");
if (intake) {
  intake.addEventListener("submit", async (event) => {
    event.preventDefault();
    const input = intake.querySelector("input[type=file]");
    const button = intake.querySelector("button");
    const progress = intake.querySelector("[data-progress]");
    const results = intake.querySelector("[data-results]");
    const files = [...input.files];
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
        const answer = await fetch(intake.action, { method: "POST", body, headers: { "HX-Request": "true" } });
        results.insertAdjacentHTML("beforeend", await answer.text());
      } catch {
        const line = document.createElement("li");
        line.className = "complaint";
        line.textContent = `${file.name}: the server could not be reached; choose it again later.`;
        results.append(line);
      }
      refused = results.querySelectorAll(".complaint").length;
      progress.value = index + 1;
    }
    button.disabled = false;
    const warned = results.querySelectorAll(".warning").length;
    if (!refused && !warned && files.length) window.location.reload();
  });
}

/* What takes a while shows how far it is, and can be stopped. */
document.addEventListener("submit", (event) => {
  const panel = document.querySelector("[data-working]");
  if (!panel || !("takesTime" in event.target.dataset)) return;
  event.preventDefault();
  sendWatched(event.target, panel);
});

/* A choice that is sent as soon as it is made. */
document.addEventListener("change", (event) => {
  if ("send" in event.target.dataset) event.target.form.requestSubmit();
});
