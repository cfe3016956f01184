/* The year at the bench: a knob stays within its tree's window and says which week it is in. */

const DAY_MS = 86_400_000;
const WORDS = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });

/** The Monday of the week that lies so many days after a day. */
function monday(today, days) {
  const at = new Date(Date.parse(today) + days * DAY_MS);
  return new Date(at.getTime() - ((at.getUTCDay() + 6) % 7) * DAY_MS);
}

document.addEventListener("input", ({ target }) => {
  const { first, last, today } = target.dataset ?? {};
  if (first === undefined) return;
  target.value = String(Math.min(Math.max(Number(target.value), Number(first)), Number(last)));
  const words = `week of ${WORDS.format(monday(today, Number(target.value)))}`;
  target.setAttribute("aria-valuetext", words);
  target.form.querySelector("output").textContent = words;
});

/* Arrow keys go on by a week, as trees are worked by the week. */
document.addEventListener("keydown", (event) => {
  const { target } = event;
  const step = { ArrowLeft: -7, ArrowDown: -7, ArrowRight: 7, ArrowUp: 7 }[event.key];
  if (!step || target.dataset?.first === undefined) return;
  event.preventDefault();
  target.value = String(Number(target.value) + step);
  for (const name of ["input", "change"]) target.dispatchEvent(new Event(name, { bubbles: true }));
});
