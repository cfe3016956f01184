/* How far a task has come, as the server tells it: one JSON object a line. */

/** The lines of an answer as they come. */
export async function* linesOf(answer) {
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    if (done) return;
    rest += value;
    const whole = rest.split("\n");
    rest = whole.pop();
    for (const one of whole) yield JSON.parse(one);
  }
}

/** Send a form whose work takes a while: a bar, a way to stop it, then on to its result. */
export async function sendWatched(form, panel) {
  const bar = panel.querySelector("progress");
  const stage = panel.querySelector("[data-stage]");
  const stop = panel.querySelector("[data-stop]");
  const buttons = [...document.querySelectorAll("form[data-takes-time] button")];
  const say = (words, share) => {
    stage.textContent = words;
    bar.value = share;
  };
  for (const button of buttons) button.disabled = true;
  say("Getting ready", 0.02);
  bar.hidden = stop.hidden = panel.hidden = false;
  // It may stand below what the screen shows.
  panel.scrollIntoView({ block: "nearest" });
  const stopped = () => fetch(stop.dataset.stop, { method: "DELETE" }).catch(() => {});
  stop.addEventListener("click", stopped, { once: true });
  let problem = "The server cannot be reached; try again.";
  try {
    const answer = await fetch(form.action, { method: "POST", headers: { Accept: "application/x-ndjson" } });
    for await (const said of linesOf(answer)) {
      if (said.stage) say(said.stage, said.share);
      else if (said.problem) problem = said.problem.message;
      else {
        window.location.assign(said.result);
        return;
      }
    }
  } catch {
    // Said below, as any other way of coming to nothing.
  }
  stop.removeEventListener("click", stopped);
  say(problem, 0);
  bar.hidden = stop.hidden = true;
  for (const button of buttons) button.disabled = false;
}
