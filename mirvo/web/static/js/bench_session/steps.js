/* On a phone one step is in view at a time: the index stays above, the next is one thumb away. */

export function showOneStep(root) {
  const steps = [...root.querySelectorAll(".bench-steps > .step")];
  const links = [...root.querySelectorAll("[data-go]")];

  function show(step) {
    for (const one of steps) one.classList.toggle("away", one !== step);
    for (const link of links) {
      if (link.dataset.go === step.id) link.setAttribute("aria-current", "step");
      else link.removeAttribute("aria-current");
    }
    root.classList.toggle("at-first", step === steps[0]);
    const link = links.find((one) => one.dataset.go === step.id);
    // The index alone is moved, not the page.
    if (link) link.parentElement.scrollLeft = link.offsetLeft - link.parentElement.clientWidth / 2;
  }

  /** The step an address points at or into, null where it points elsewhere. */
  function pointedAt() {
    const name = decodeURIComponent(window.location.hash.slice(1));
    return name ? document.getElementById(name)?.closest(".step") ?? null : null;
  }

  window.addEventListener("hashchange", () => {
    const step = pointedAt();
    if (!step) return;
    show(step);
    const into = document.getElementById(decodeURIComponent(window.location.hash.slice(1)));
    into.scrollIntoView({ block: "start" });
  });
  root.classList.add("one-step");
  show(pointedAt() ?? steps.find((one) => !one.classList.contains("done")) ?? steps[0]);
}
