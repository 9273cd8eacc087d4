// Keeps the page and its files, so that the installed application opens without a network. Data is never kept here: what is
// typed into quick input waits in that page's own queue.
const SHELF = "kelvix-2";
const PAGE = "/";
const named = (text) => [...new Set(text.match(/\/assets\/[\w.-]+/g) ?? [])];

/** Keep the page, and let go of files of earlier versions. */
async function keep(page) {
  const shelf = await caches.open(SHELF);
  const before = await shelf.match(PAGE);
  const [now, then] = [named(await page.clone().text()), before ? named(await before.text()) : []];
  await shelf.put(PAGE, page);
  if (then.length > 0 && then.join() !== now.join())
    for (const request of await shelf.keys()) if (new URL(request.url).pathname.startsWith("/assets/")) await shelf.delete(request);
  return now;
}

addEventListener("install", (event) => {
  // Data never passes here: what a page sends as it is left would be lost on the way through a worker.
  event.addRoutes?.([{ condition: { urlPattern: new URLPattern({ pathname: "/api/*" }) }, source: "network" }]);
  event.waitUntil(
    (async () => {
      const files = await keep(await fetch(PAGE, { credentials: "same-origin" }));
      await (await caches.open(SHELF)).addAll(files);
      await skipWaiting();
    })(),
  );
});

addEventListener("activate", (event) => {
  event.waitUntil(
    (async () => {
      for (const name of await caches.keys()) if (name !== SHELF) await caches.delete(name);
      await clients.claim();
    })(),
  );
});

addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (request.method !== "GET" || origin !== location.origin) return;
  if (request.mode === "navigate") {
    if (pathname.startsWith("/api/") || pathname.startsWith("/sign-in/")) return;
    event.respondWith(
      (async () => {
        try {
          const fresh = await fetch(request);
          if (fresh.ok && !fresh.redirected) event.waitUntil(keep(fresh.clone()));
          return fresh;
        } catch {
          return (await (await caches.open(SHELF)).match(PAGE)) ?? Response.error();
        }
      })(),
    );
  } else if (pathname.startsWith("/assets/")) {
    event.respondWith(
      (async () => {
        const shelf = await caches.open(SHELF);
        const kept = await shelf.match(request);
        if (kept) return kept;
        const fresh = await fetch(request);
        if (fresh.ok) await shelf.put(request, fresh.clone());
        return fresh;
      })(),
    );
  }
});
