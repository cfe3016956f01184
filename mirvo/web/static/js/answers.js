/* Why the server did not keep what was sent, in its own words where it has any. */

export const UNREACHED = "The server cannot be reached.";
export const SERVER_FAILED = 500;

/** What is told beside a field, small, as the sentence it is where it stands alone. */
export const sentence = (said) => `${said.charAt(0).toUpperCase()}${said.slice(1)}${/[.!?]$/.test(said) ? "" : "."}`;

/** The reason in a sentence or two, for a page that still holds what it sent; null for no answer at all. */
export async function whyNot(answer) {
  if (!answer) return UNREACHED;
  const said = await answer.json().catch(() => ({}));
  if (said.reason) return `The server could not keep it. ${said.reason}`;
  return answer.status < SERVER_FAILED && said.message ? sentence(said.message) : "The server could not keep it.";
}
