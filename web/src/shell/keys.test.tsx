import { fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { listenForKeys, resetKeys, setKey, switchKeys, useKey, useOutcomeKeys } from "./keys";

const end = vi.fn();
const outcome = vi.fn();

function Desk() {
  useKey("end", end);
  useOutcomeKeys(outcome);
  return (
    <>
      <input aria-label="notes" />
      <button type="button">somewhere</button>
      <div role="menu">
        <button type="button">in a menu</button>
      </div>
    </>
  );
}

let stop: () => void;
beforeEach(() => {
  end.mockClear();
  outcome.mockClear();
  stop = listenForKeys();
});
afterEach(() => {
  stop();
  resetKeys();
});

describe("single keys", () => {
  it("act where nobody types", () => {
    render(<Desk />);
    fireEvent.keyDown(document.body, { key: "e" });
    fireEvent.keyDown(screen.getByText("somewhere"), { key: "3" });
    expect(end).toHaveBeenCalledOnce();
    expect(outcome).toHaveBeenCalledWith(2);
  });

  it("do nothing in a field, in a menu, with a modifier, or held down", () => {
    render(<Desk />);
    fireEvent.keyDown(screen.getByLabelText("notes"), { key: "e" });
    fireEvent.keyDown(screen.getByText("in a menu"), { key: "e" });
    fireEvent.keyDown(document.body, { key: "e", ctrlKey: true });
    fireEvent.keyDown(document.body, { key: "e", altKey: true });
    fireEvent.keyDown(document.body, { key: "e", repeat: true });
    expect(end).not.toHaveBeenCalled();
  });

  it("can be changed, and switched off", () => {
    render(<Desk />);
    setKey("end", "x");
    fireEvent.keyDown(document.body, { key: "e" });
    expect(end).not.toHaveBeenCalled();
    fireEvent.keyDown(document.body, { key: "x" });
    expect(end).toHaveBeenCalledOnce();
    switchKeys(false);
    fireEvent.keyDown(document.body, { key: "x" });
    fireEvent.keyDown(document.body, { key: "1" });
    expect(end).toHaveBeenCalledOnce();
    expect(outcome).not.toHaveBeenCalled();
  });
});
