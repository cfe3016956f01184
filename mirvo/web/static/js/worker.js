/* Keeps what was seen lately, for when the server cannot be reached: the bench, trees, sheets and
   open sessions. The server is always asked first, so an old page is never shown in place of a new
   one, and a kept one says from when it is. */

/* The checker takes it for a page's window. */
const worker = /** @type {any} */ (self);
const studio = new URL(self.location.href).searchParams.get("studio");
const PAGES = `mirvo-${studio}-pages`;
const FILES = `mirvo-${studio}-files`;
const MOST = { [PAGES]: 80, [FILES]: 500 };
const PATIENCE_MS = 8000;
const LONG_PATIENCE_MS = 30000;
const SIGN_IN = "/sign-in";
const SIGN_OUT = "/sign-out";
const KEPT_AT = "x-mirvo-kept-at";
const IS_PAGE = /^\/(trees(\/\d+)?|bench-sessions\/\d+)?$/;
const IS_FILE = /^\/(static\/.+|photos\/\d+\/\w+\.jpg)$/;

worker.addEventListener("install", () => worker.skipWaiting());

worker.addEventListener("activate", (event) => event.waitUntil(begin()));

/* Of another studio at this address nothing stays; the page that is open is the first one kept. */
async function begin() {
  const names = await caches.keys();
  await Promise.all(names.filter((name) => !(name in MOST)).map((name) => caches.delete(name)));
  await worker.clients.claim();
  // Nothing waits for this: pages asked for meanwhile must not.
  keepOpenPages();
}

async function keepOpenPages() {
  for (const { url } of await worker.clients.matchAll({ type: "window" })) {
    if (IS_PAGE.test(new URL(url).pathname)) await page(new Request(url)).catch(() => {});
  }
}

worker.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname, searchParams } = new URL(request.url);
  if (request.method === "POST" && origin === self.location.origin && pathname === SIGN_OUT) event.respondWith(signOut(request));
  if (request.method !== "GET" || origin !== self.location.origin) return;
  if (request.mode === "navigate") event.respondWith(IS_PAGE.test(pathname) ? page(request) : elsewhere(request));
  // An address with a version changes with its content, so what is kept of it is never old.
  else if (IS_FILE.test(pathname)) event.respondWith(searchParams.has("v") ? file(request) : newest(request));
});

/** Whoever signs out leaves nothing on the device, also where the server cannot be reached. */
async function signOut(request) {
  await forgetPages();
  return fetch(request);
}

async function forgetPages() {
  await Promise.all((await caches.keys()).map((name) => caches.delete(name)));
}

async function page(request) {
  // A slow server is waited for longer where nothing is kept that could be shown in its place.
  const before = await caches.open(PAGES).then((pages) => pages.match(request.url));
  try {
    const answer = await fetch(request, { signal: AbortSignal.timeout(before ? PATIENCE_MS : LONG_PATIENCE_MS) });
    // Signed out from elsewhere: what was kept here is not this device's any more.
    if (answer.redirected && new URL(answer.url).pathname === SIGN_IN) await forgetPages();
    if (answer.ok && !answer.redirected) await keep(PAGES, request.url, dated(answer.clone()));
    return answer;
  } catch {
    return (await asItWas(request.url)) ?? nothingKept();
  }
}

/** A page that is not kept: the others that are can be gone on with. */
async function elsewhere(request) {
  try {
    return await fetch(request);
  } catch {
    return nothingKept();
  }
}

async function file(request) {
  const kept = await caches.open(FILES).then((files) => files.match(request.url));
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) await keep(FILES, request.url, answer.clone());
  return answer;
}

/** A script that another one asks for, without its version: the server is asked first. */
async function newest(request) {
  try {
    const answer = await fetch(request);
    if (answer.ok) await keep(FILES, request.url, answer.clone());
    return answer;
  } catch {
    return (await caches.open(FILES).then((files) => files.match(request.url))) ?? Response.error();
  }
}

/** Keep an answer; what was kept first goes first. */
async function keep(name, address, answer) {
  try {
    const cache = await caches.open(name);
    await cache.delete(address);
    await cache.put(address, answer);
    const kept = await cache.keys();
    await Promise.all(kept.slice(0, Math.max(0, kept.length - MOST[name])).map((one) => cache.delete(one)));
  } catch {
    /* this device has no room; the page is shown all the same */
  }
}

function dated(answer) {
  const headers = new Headers(answer.headers);
  headers.set(KEPT_AT, new Date().toISOString());
  return new Response(answer.body, { status: answer.status, headers });
}

const moment = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

async function asItWas(address) {
  const pages = await caches.open(PAGES);
  const kept = (await pages.match(address)) ?? (await pages.match(address, { ignoreSearch: true }));
  if (!kept) return null;
  const at = moment.format(new Date(kept.headers.get(KEPT_AT)));
  const notice = `<div class="notice stale" role="status" data-stale>The server cannot be reached. This is the page as it was on ${at}. What you enter in an open session is kept on this device until the server is back.</div>`;
  const text = (await kept.text()).replace(/<main[^>]*>/, (main) => main + notice);
  return new Response(text, { headers: kept.headers });
}

/** Which pages are kept, by their titles, newest first. */
async function nothingKept() {
  const pages = await caches.open(PAGES);
  const links = [];
  for (const request of [...(await pages.keys())].reverse()) {
    const text = await pages.match(request).then((kept) => kept.text());
    const title = /<title>([^<]*)<\/title>/.exec(text)?.[1].trim() ?? "";
    const { pathname, search } = new URL(request.url);
    links.push(`<li><a href="${escaped(pathname + search)}">${title.replace(/ · Mirvo$/, "")}</a></li>`);
  }
  const styles = (await caches.open(FILES).then((files) => files.keys())).map(({ url }) => url).filter((url) => url.includes(".css"));
  const sheet = styles.length ? `<link rel="stylesheet" href="${escaped(styles.at(-1))}">` : "";
  const kept = links.length ? `<h2>Kept on this device</h2><ul class="rows">${links.join("")}</ul>` : "";
  return new Response(
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>No server · Mirvo</title>${sheet}</head><body><main class="narrow"><h1>The server cannot be reached</h1><p>Is the computer on that Mirvo runs on, and this device in the same network? Nothing that was saved is lost.</p><p><a class="action" href="">Try again</a></p>${kept}</main></body></html>`,
    { status: 503, headers: { "Content-Type": "text/html; charset=utf-8" } },
  );
}

const escaped = (text) => text.replaceAll("&", "&amp;").replaceAll('"', "&quot;").replaceAll("<", "&lt;");
