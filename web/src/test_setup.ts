import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterEach, beforeEach } from "vitest";

import { listenForKeys } from "./shell/keys";

let stopKeys: (() => void) | undefined;
beforeEach(() => {
  stopKeys = listenForKeys(); // as main.tsx does once for the window
});
afterEach(() => {
  stopKeys?.();
});
afterEach(cleanup);
configure({ asyncUtilTimeout: 10_000 }); // a condition is waited for, also on a machine that is busy with everything else

// jsdom has neither layout nor a way to observe it; the virtual rows need both to be asked for.
globalThis.ResizeObserver ??= class {
  observe() {
    // nothing changes size here
  }
  unobserve() {
    // nothing was observed
  }
  disconnect() {
    // nothing was observed
  }
};

// jsdom lays nothing out: there is nothing to scroll.
Element.prototype.scrollIntoView = () => undefined;
