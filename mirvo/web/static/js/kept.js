/* What this browser keeps for later. Storage may be full, forbidden, or hold what nobody can read:
   then nothing is kept, and no page breaks for it. */

const inBrowser = () => globalThis.localStorage;
/** What lasts as long as this window. */
export const inWindow = () => globalThis.sessionStorage;

/** The text kept under a name; null where there is none. */
export function keptText(name, area = inBrowser) {
  try {
    return area().getItem(name);
  } catch {
    return null;
  }
}

/** The value kept under a name as JSON; null where there is none, or none that can be read. */
export function keptValue(name, area = inBrowser) {
  return readValue(keptText(name, area));
}

/** A value from its JSON; null where it cannot be read. */
export function readValue(text) {
  try {
    return JSON.parse(text ?? "null");
  } catch {
    return null;
  }
}

/** Keep a text under a name; whether there was room for it. */
export function keep(name, text, area = inBrowser) {
  try {
    area().setItem(name, text);
    return true;
  } catch {
    return false;
  }
}

export function forget(name, area = inBrowser) {
  try {
    area().removeItem(name);
  } catch {
    /* what cannot be reached cannot be shown either */
  }
}
