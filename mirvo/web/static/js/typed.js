/* What was typed into a form and not sent yet stays when one leaves, and is there on coming back. */

import { keep, keptValue } from "./kept.js";
import { keyOf } from "./studio.js";

const NAME = keyOf("typed");
const MOST_FORMS = 20;
const moment = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

const kept = () => keptValue(NAME) ?? {};

function put(forms) {
  // The oldest go first: a form nobody came back to for that long is not missed.
  const newest = Object.entries(forms).sort(([, a], [, b]) => b.at - a.at).slice(0, MOST_FORMS);
  // Without room for it the page still holds what was typed.
  keep(NAME, JSON.stringify(Object.fromEntries(newest)));
}

const fieldsOf = (form) => [...form.elements].filter((one) => one.name && one.type !== "hidden" && one.type !== "file" && one.type !== "submit");
const same = (one, other) => JSON.stringify(one) === JSON.stringify(other);

/** What the fields hold, by name: texts, or of boxes and radios what is ticked. */
function valuesOf(form) {
  const values = {};
  for (const one of fieldsOf(form)) {
    if (one.type === "checkbox" || one.type === "radio") (values[one.name] ??= []).push(...(one.checked ? [one.value] : []));
    else if (one.multiple) values[one.name] = [...one.selectedOptions].map((option) => option.value);
    else values[one.name] = one.value;
  }
  return values;
}

function fill(form, values) {
  for (const one of fieldsOf(form)) {
    const value = values[one.name];
    if (value === undefined) continue;
    if (one.type === "checkbox" || one.type === "radio") one.checked = value.includes(one.value);
    else if (one.multiple) for (const option of one.options) option.selected = value.includes(option.value);
    else one.value = value;
  }
}

function offerAnew(form, at) {
  const line = document.createElement("p");
  line.className = "next-step";
  line.dataset.typed = "";
  const button = document.createElement("button");
  Object.assign(button, { type: "button", className: "quiet-action", textContent: "Begin anew" });
  line.append(`Here is what you had typed on ${moment.format(at)} and not sent. `, button);
  line.setAttribute("role", "status");
  form.prepend(line);
  return { line, button };
}

function watch(form) {
  const key = form.dataset.keepTyped || window.location.pathname;
  const asServed = valuesOf(form);
  const before = kept()[key];
  // A form sent back with complaints holds what was sent; that is newer than what was kept.
  const sentBack = form.querySelector("[aria-invalid=true]");
  if (before && same(before.served, asServed) && !same(before.values, asServed) && !sentBack) {
    fill(form, before.values);
    const { line, button } = offerAnew(form, new Date(before.at));
    button.addEventListener("click", () => {
      fill(form, asServed);
      line.remove();
      forget(key);
    });
  }
  form.addEventListener("input", () => {
    const values = valuesOf(form);
    if (same(values, asServed)) forget(key);
    else put({ ...kept(), [key]: { at: Date.now(), served: asServed, values } });
  });
  form.addEventListener("submit", () => {
    const forms = kept();
    if (forms[key]) put({ ...forms, [key]: { ...forms[key], sent: true } });
  });
}

function forget(key) {
  const forms = kept();
  delete forms[key];
  put(forms);
}

/* A page of this site came after the sending, so the server has what was sent. */
put(Object.fromEntries(Object.entries(kept()).filter(([, form]) => !form.sent)));
for (const form of document.querySelectorAll("form[data-keep-typed]")) watch(form);
