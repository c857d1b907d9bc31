import { act, fireEvent, render, screen } from "@testing-library/react";
import { useRef, useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import {
  type Desk,
  holdKeys,
  meaningOf,
  resetKeys,
  setKey,
  switchKeys,
  useArmed,
  useKey,
  useOutcomeKeys,
  useSlipKeys,
} from "./keys";

const did = vi.fn<(what: string) => void>();

function Slip({ phase }: { phase: Desk }) {
  const [text, setText] = useState("");
  const field = useRef<HTMLTextAreaElement>(null);
  useSlipKeys("s", phase, (more) => {
    field.current?.focus();
    setText((before) => before + more);
  });
  for (const action of ["end", "hold", "leave", "file"] as const)
    // eslint-disable-next-line react-hooks/rules-of-hooks -- always the same four, in the same order
    useKey(action, () => {
      did(action);
    });
  useOutcomeKeys((place) => {
    did(`outcome ${String(place + 1)}`);
    return place < 6;
  });
  return (
    <textarea
      ref={field}
      data-notes
      aria-label="notes"
      value={text}
      onChange={(e) => {
        setText(e.target.value);
      }}
    />
  );
}

function Rest() {
  useKey("decline", () => {
    did("decline");
  });
  useKey("answer", () => {
    did("answer");
  });
  return (
    <>
      <input aria-label="find" />
      <button type="button">somewhere</button>
      <div role="menu">
        <button type="button">in a menu</button>
      </div>
      <output>{useArmed() ?? "nothing"}</output>
    </>
  );
}

const press = (key: string, on: Element = document.activeElement ?? document.body, more: object = {}) => {
  fireEvent.keyDown(on, { key, ...more });
};
/** type presses keys where the focus is; in a field the browser would put them in itself. */
const type = (text: string) => {
  for (const key of text) {
    const at = document.activeElement;
    const went = fireEvent.keyDown(at ?? document.body, { key });
    if (went && at instanceof HTMLTextAreaElement) fireEvent.change(at, { target: { value: at.value + key } });
  }
};
const notes = () => screen.getByLabelText<HTMLTextAreaElement>("notes").value;
const all = () => did.mock.calls.map(([what]) => what);

beforeEach(() => {
  did.mockClear();
});
afterEach(() => {
  resetKeys();
});

describe("what a key means", () => {
  const meaning = (key: string, desk: Desk, commanded = false) => {
    const m = meaningOf(key, desk, commanded);
    return m.kind === "action" ? (m.twice ? `${m.action} twice` : m.action) : m.kind === "outcome" ? m.place : m.kind;
  };
  it.each<[string, Desk, boolean, string | number]>([
    ["y", "none", false, "answer"],
    ["x", "none", false, "decline twice"],
    ["v", "none", false, "voicemail twice"],
    ["t", "none", false, "today"],
    ["1", "none", false, "nothing"],
    ["h", "speaking", false, "notes"],
    ["E", "speaking", false, "notes"],
    ["2", "speaking", false, "notes"],
    [",", "speaking", false, "notes"],
    [" ", "speaking", false, "nothing"],
    ["e", "speaking", true, "end"],
    ["D", "speaking", true, "leave"],
    ["2", "speaking", true, 1],
    ["e", "ringing", false, "notes"],
    ["6", "ringing", false, 5],
    ["+", "ringing", false, "other"],
    [".", "ringing", false, "skip"],
    ["q", "ringing", false, "notes"],
    ["2", "ended", false, 1],
    ["q", "ended", false, 9],
    ["f", "ended", false, "file"],
    ["x", "ended", false, "notes"],
    ["y", "ended", false, "notes"],
    ["l", "ended", true, "later"],
    ["Enter", "speaking", false, "nothing"],
  ])("%s with a slip that is %s, commanded %s: %s", (key, desk, commanded, what) => {
    expect(meaning(key, desk, commanded)).toBe(what);
  });
});

describe("keys", () => {
  it("go into the notes while somebody speaks, whole, and end nothing", () => {
    render(
      <>
        <Slip phase="speaking" />
        <Rest />
      </>,
    );
    type("The pump leaks, he wants help");
    expect(notes()).toBe("The pump leaks, he wants help");
    expect(did).not.toHaveBeenCalled();
  });

  it("go into the notes from a button that was clicked", () => {
    render(
      <>
        <Slip phase="speaking" />
        <Rest />
      </>,
    );
    screen.getByText("somewhere").focus();
    type("He likes it");
    expect(notes()).toBe("He likes it");
  });

  it("are commands after the command key, also in the notes", () => {
    render(<Slip phase="speaking" />);
    type("Hm");
    press("F2");
    press("h");
    press("F2");
    press("3");
    type("e");
    expect(all()).toEqual(["hold", "outcome 3"]);
    expect(notes()).toBe("Hme");
  });

  it("choose outcomes and file after the end; a letter that is no outcome's is a letter", () => {
    render(<Slip phase="ended" />);
    press("2", document.body);
    press("f", document.body);
    expect(all()).toEqual(["outcome 2", "file"]);
    press("w", document.body);
    expect(notes()).toBe("w");
  });

  it("decline only when pressed twice", () => {
    render(<Rest />);
    press("x", document.body);
    expect(did).not.toHaveBeenCalled();
    expect(screen.getByText("decline")).toBeInTheDocument();
    press("x", document.body);
    expect(all()).toEqual(["decline"]);
    press("y", document.body);
    expect(all()).toEqual(["decline", "answer"]);
  });

  it("wait until it is known what lies on the desk", async () => {
    const { rerender } = render(<Rest />);
    const release = holdKeys();
    press("2", document.body);
    press("f", document.body);
    expect(did).not.toHaveBeenCalled();
    rerender(<Slip phase="ended" />);
    act(release);
    await vi.waitFor(() => {
      expect(all()).toEqual(["outcome 2", "file"]);
    });
  });

  it("typed while a call is being placed stand in its notes", async () => {
    const { rerender } = render(<Rest />);
    const release = holdKeys();
    type("Ask 2 things");
    rerender(<Slip phase="ringing" />);
    act(release);
    await vi.waitFor(() => {
      expect(notes()).toBe("Ask 2 things");
    });
    expect(did).not.toHaveBeenCalled();
  });

  it("are commands also where they were pressed ahead and the notes have the focus by then", async () => {
    const { rerender } = render(<Rest />);
    const release = holdKeys();
    type("No");
    press("F2", document.body);
    press("h", document.body);
    type("w");
    rerender(<Slip phase="speaking" />);
    act(() => {
      screen.getByLabelText("notes").focus();
      release();
    });
    await vi.waitFor(() => {
      expect(notes()).toBe("Now");
    });
    expect(all()).toEqual(["hold"]);
  });

  it("do nothing in a field, in a menu, with a modifier, or held down", () => {
    render(<Rest />);
    press("y", screen.getByLabelText("find"));
    press("y", screen.getByText("in a menu"));
    press("y", document.body, { ctrlKey: true });
    press("y", document.body, { altKey: true });
    press("y", document.body, { repeat: true });
    expect(did).not.toHaveBeenCalled();
  });

  it("can be changed, and switched off", () => {
    render(<Rest />);
    setKey("answer", "z");
    press("y", document.body);
    expect(did).not.toHaveBeenCalled();
    press("z", document.body);
    expect(all()).toEqual(["answer"]);
    switchKeys(false);
    press("z", document.body);
    expect(all()).toEqual(["answer"]);
  });
});
