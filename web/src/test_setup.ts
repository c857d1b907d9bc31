import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterEach } from "vitest";

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
