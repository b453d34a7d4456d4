// Keeps the page of a shared terminal on the tablet, so that one that is loaded anew while the service is away shows its
// place and says so. What the service answers is never kept: whatever is about people is asked for each time.
const kept = "terminal";
const page = "/terminal";

const isAsset = (path) => path.startsWith("/assets/") || path === "/latch.svg";

// keep puts the page and all that it is made of into the cache, and drops what it is no longer made of.
async function keep(answer) {
  const cache = await caches.open(kept);
  const parts = new Set();
  const read = async (text) => {
    for (const [path] of text.matchAll(/\/(?:assets\/[\w.-]+|latch\.svg)/g)) {
      if (parts.has(path)) continue;
      parts.add(path);
      let part = await cache.match(path);
      if (!part) {
        part = await fetch(path);
        if (!part.ok) continue;
        await cache.put(path, part.clone());
      }
      if (path.endsWith(".css")) await read(await part.clone().text());
    }
  };
  await read(await answer.clone().text());
  await cache.put(page, answer);
  for (const request of await cache.keys()) {
    const path = new URL(request.url).pathname;
    if (isAsset(path) && !parts.has(path)) await cache.delete(request);
  }
}

async function newestPage(event) {
  try {
    const answer = await fetch(event.request);
    if (answer.ok) {
      event.waitUntil(keep(answer.clone()));
      return answer;
    }
    if (answer.status < 502 || answer.status > 504) return answer;
  } catch {
    // the service, or the network, is away
  }
  return (await caches.match(page)) ?? Response.error();
}

self.addEventListener("install", (event) => {
  self.skipWaiting();
  event.waitUntil(fetch(page).then((answer) => (answer.ok ? keep(answer) : undefined)));
});

self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const { origin, pathname } = new URL(event.request.url);
  if (event.request.method !== "GET" || origin !== self.location.origin) return;
  if (event.request.mode === "navigate" && pathname === page) event.respondWith(newestPage(event));
  else if (isAsset(pathname)) {
    event.respondWith(caches.match(pathname).then((part) => part ?? fetch(event.request)));
  }
});
