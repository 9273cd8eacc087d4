// Keeps the quick input page at hand without a network. What is typed there waits in the page's own queue.
const SHELF = "quick-1";

addEventListener("install", (event) => {
  event.waitUntil(
    (async () => {
      const shelf = await caches.open(SHELF);
      const page = await fetch("/quick/", { credentials: "same-origin" });
      const text = await page.clone().text();
      await shelf.put("/quick/", page);
      await shelf.addAll([...new Set(text.match(/\/assets\/[\w.-]+/g) ?? [])]);
      await skipWaiting();
    })(),
  );
});

addEventListener("activate", (event) => event.waitUntil(clients.claim()));

addEventListener("fetch", (event) => {
  const { request } = event;
  const path = new URL(request.url).pathname;
  if (request.method !== "GET") return;
  if (request.mode === "navigate") {
    event.respondWith(
      (async () => {
        const shelf = await caches.open(SHELF);
        try {
          const fresh = await fetch(request);
          if (fresh.ok) await shelf.put("/quick/", fresh.clone());
          return fresh;
        } catch {
          return (await shelf.match("/quick/")) ?? Response.error();
        }
      })(),
    );
  } else if (path.startsWith("/assets/")) {
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
