/* What was entered on the page, as it is handed to the server. */

/* A number with or without a unit, and one without. */
const NUMBER = /^[-+−]?[\d.,/ -]*\d\s*(mm|cm|m|in\.?|inch|inches|["″”])?$/i;
const MM_PER_INCH = 25.4;
const BARE = /^[-+−]?[\d.,/ -]+$/;

/** What is decided for a root. half : the part that goes where nothing else is said. */
export function decisionOf(item, action, half) {
  const label = item.dataset.root;
  const range = item.querySelector("input[type=range]");
  const chosen = item.querySelector(`input[value="${action}"]`);
  const advised = Number(chosen?.dataset.advised);
  const part = range ? 1 - Number(range.value) / 100 : advised || half;
  return { action, part, why: item.querySelector(`[name="why:${label}"]`).value };
}

/** What was found of a root. */
export function findingsOf(item) {
  const found = {};
  for (const one of item.querySelectorAll("[data-seen]")) {
    const { seen } = one.dataset;
    if (seen === "feeders") found.feeders = one.value === "" ? null : Number(one.value);
    else if (seen === "feeds") found.feeds = one.value.split(",").map((name) => name.trim()).filter(Boolean);
    else found[seen] = one.value;
  }
  return found;
}

/** The name and value an entry of a root is handed over as; null where it says nothing yet. */
export function rootEntry(item, input, half) {
  const label = item.dataset.root;
  if (input.dataset.seen) return [`seen:${label}`, findingsOf(item)];
  if ("waits" in input.dataset) return [`waits:${label}`, input.value || null];
  const chosen = item.querySelector("input[type=radio]:checked");
  if (!chosen && !input.name.startsWith("why:")) return null;
  return [`root:${label}`, decisionOf(item, chosen ? chosen.value : "keep", half)];
}

/** What a field holds. */
export function valueOf(input) {
  if (input.dataset.hours !== undefined) {
    const all = input.closest("fieldset").querySelectorAll("input:checked");
    return [...all].map((one) => Number(one.value));
  }
  if (input.type === "checkbox") return input.checked;
  if (input.dataset.number !== undefined) return numberOf(input);
  return input.value;
}

/** A typed number with its unit where the page speaks of inches; null where nothing is typed. */
export function numberOf(input) {
  const typed = input.value.trim();
  if (typed === "") return null;
  return input.dataset.unit && BARE.test(typed) ? `${typed} ${input.dataset.unit}` : typed;
}

/** A length of mm as this page says lengths, its unit left to the page. */
export function lengthSaid(mm) {
  return document.documentElement.dataset.units === "inches" ? (mm / MM_PER_INCH).toFixed(2) : Math.round(mm);
}

/** Whether what is typed into a field for a number is none. */
export const isNoNumber = (input) => input.dataset.number !== undefined && input.value.trim() !== "" && !NUMBER.test(input.value.trim());
