/* What this browser keeps belongs to one studio: the demo and one's own share an address. */

import { forget, keptText } from "./kept.js";

export const studio = globalThis.document?.documentElement?.dataset?.studio ?? "";

/** The name under which something of this studio is kept here. */
export const keyOf = (what) => `mirvo-${studio}-${what}`;

/** What is kept under a name, or was by a former version that did not tell studios apart. */
export function keptUnder(what, ...former) {
  const name = [keyOf(what), ...former].find((one) => keptText(one) !== null);
  const found = name ? keptText(name) : null;
  for (const one of former) forget(one);
  return found;
}
