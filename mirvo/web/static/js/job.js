/* Long work on the server: one stream of events, open while its progress is shown. */

const LOST = "The server cannot be reached; try again.";
/* A stream that breaks is taken up again by the browser; not for ever. */
const MAX_BREAKS = 3;

/**
 * Watch a job to its end. Resolves with its last state; rejects with why there is no result.
 * @param {string} address
 * @param {(stage: string, share: number) => void} onStage
 * @returns {Promise<any>}
 */
export function watchJob(address, onStage) {
  return new Promise((resolve, reject) => {
    const events = new EventSource(`${address}/events`);
    let breaks = 0;
    events.onmessage = ({ data }) => {
      breaks = 0;
      const job = JSON.parse(data);
      if (!job.done) {
        onStage(job.stage || "Getting ready", job.share);
        return;
      }
      events.close();
      if (job.problem) reject(new Error(job.problem));
      else resolve(job);
    };
    events.onerror = () => {
      breaks += 1;
      if (events.readyState !== EventSource.CLOSED && breaks < MAX_BREAKS) return;
      events.close();
      reject(new TypeError(LOST));
    };
  });
}

/** Ask a job to stop; back when it has. */
export const stopJob = (address) => fetch(`${address}/stop`, { method: "POST", headers: { Accept: "application/json" } }).catch(() => {});

/** Send a form whose work takes a while: a bar, a way to stop it, then on to its result. */
export async function sendWatched(form, panel) {
  const bar = panel.querySelector("progress");
  const stage = panel.querySelector("[data-stage]");
  const stop = panel.querySelector("[data-stop]");
  const buttons = [...document.querySelectorAll("form[data-takes-time] button")];
  const show = (words, share) => {
    stage.textContent = words;
    bar.value = share;
  };
  for (const button of buttons) button.disabled = true;
  show("Getting ready", 0.02);
  bar.hidden = stop.hidden = panel.hidden = false;
  // It may stand below what the screen shows.
  panel.scrollIntoView({ block: "nearest" });
  let problem = LOST;
  try {
    const answer = await fetch(form.action, { method: "POST", headers: { Accept: "application/json" } });
    const sent = await answer.json();
    if (!answer.ok) throw new Error(sent.message);
    stop.onclick = () => stopJob(sent.job);
    const { page } = await watchJob(sent.job, show);
    window.location.assign(page);
    return;
  } catch (error) {
    if (!(error instanceof TypeError)) problem = error.message;
  }
  stop.onclick = null;
  show(problem, 0);
  bar.hidden = stop.hidden = true;
  for (const button of buttons) button.disabled = false;
}

/** The page that shows nothing but how far a job is goes on to its result by itself. */
export function watchPage(panel) {
  const stage = panel.querySelector("[data-stage]");
  const bar = panel.querySelector("progress");
  const show = (words, share) => {
    stage.textContent = `${words}, ${Math.round(100 * share)}%`;
    bar.value = share;
  };
  // Whatever became of it, the server knows which page says so.
  const goOn = () => window.location.assign(panel.dataset.job);
  watchJob(panel.dataset.job, show).then(goOn, (error) => {
    if (error instanceof TypeError) stage.textContent = error.message;
    else goOn();
  });
}
