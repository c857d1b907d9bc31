import "./ui/tokens.css";

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { Failure } from "./api/client";
import { holdWindow } from "./filing/drafts";
import { listenForKeys } from "./shell/keys";
import { makeRouter } from "./shell/router";
import { showTheme, theme } from "./shell/theme";
import { ToastProvider } from "./ui/toast";
import { TooltipProvider } from "./ui/tooltip";

// The primitives inject styles, which the content policy allows only with this answer's nonce.
setNonce(document.querySelector<HTMLMetaElement>("meta[name=csp-nonce]")?.content ?? "");
showTheme(theme());
holdWindow();
listenForKeys();

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000, // live events refresh what changes earlier
      // A refusal is final; what did not arrive is tried again.
      retry: (count, error) =>
        count < 3 && (!(error instanceof Failure) || !error.problem || error.problem.status >= 500),
      refetchOnWindowFocus: false,
    },
    mutations: { retry: false },
  },
});

// The shell is installable, and says so itself when the server cannot be reached.
if (import.meta.env.PROD && "serviceWorker" in navigator) {
  window.addEventListener("load", () => {
    void navigator.serviceWorker.register("/sw.js").catch(() => undefined); // without it all else works
  });
}

const place = document.getElementById("root");
if (place) {
  createRoot(place).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <TooltipProvider>
          <ToastProvider>
            <RouterProvider router={makeRouter(client)} />
          </ToastProvider>
        </TooltipProvider>
      </QueryClientProvider>
    </StrictMode>,
  );
}
