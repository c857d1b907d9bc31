import "@testing-library/jest-dom/vitest";
import { cleanup } from "@testing-library/react";
import { afterEach } from "vitest";

afterEach(cleanup);

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
