// The window's shell, and nothing else: no answer of the server is ever kept, so that nobody reads what is old or not theirs. It says that the server
// cannot be reached, and shows who is calling while the window is hidden.
const shell = "shell-1";

self.addEventListener("install", (event) => {
  event.waitUntil(caches.open(shell).then((cache) => cache.addAll(["/offline.html", "/icon.svg"])));
  self.skipWaiting();
});

self.addEventListener("activate", (event) => {
  event.waitUntil(
    caches
      .keys()
      .then((all) => Promise.all(all.filter((name) => name !== shell).map((name) => caches.delete(name))))
      .then(() => self.clients.claim()),
  );
});

self.addEventListener("fetch", (event) => {
  if (event.request.mode !== "navigate") return; // the browser fetches everything else by itself
  event.respondWith(fetch(event.request).catch(() => caches.match("/offline.html")));
});

// Somebody takes or declines a call, or comes to the window: the window that rings does it.
self.addEventListener("notificationclick", (event) => {
  event.notification.close();
  const said = { ring: event.notification.tag, act: event.action || "look" };
  event.waitUntil(
    self.clients.matchAll({ type: "window" }).then((windows) => {
      const there = windows.find((w) => w.visibilityState === "visible") ?? windows[0];
      if (!there) return self.clients.openWindow("/");
      for (const w of windows) if (w === there || said.act === "look") w.postMessage(said);
      return said.act === "decline" ? undefined : there.focus();
    }),
  );
});
