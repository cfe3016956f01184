/* Why the server did not keep what was sent, in its own words where it has any. */

export const UNREACHED = "The server cannot be reached.";
export const SERVER_FAILED = 500;

/** The reason in a sentence or two, for a page that still holds what it sent; null for no answer at all. */
export async function whyNot(answer) {
  if (!answer) return UNREACHED;
  const said = await answer.json().catch(() => ({}));
  if (said.reason) return `The server could not keep it. ${said.reason}`;
  return answer.status < SERVER_FAILED && said.message ? said.message : "The server could not keep it.";
}
