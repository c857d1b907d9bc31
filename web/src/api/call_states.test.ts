import { expect, it } from "vitest";

import type { Call, CallState } from "./client";
import { noteState, withNewest } from "./call_states";

const state = (call: string, seq: number, phase: CallState["phase"], saved: boolean): CallState => ({
  call_id: call,
  seq,
  phase,
  saved,
  on_hold: false,
  muted: false,
  started_at: "",
  rang_at: null,
  answered_at: null,
  ended_at: null,
  end_reason: "",
});

it("takes the state of more facts for the newer one, whatever its phase", () => {
  noteState(state("a", 5, "speaking", true));
  expect(noteState(state("a", 7, "message", false)).phase).toBe("message");
  const answered = { id: "a", state: state("a", 5, "speaking", true) } as Call;
  expect(withNewest(answered).state.phase).toBe("message");
});

it("takes of two alike the saved one", () => {
  noteState(state("b", 4, "ringing", true));
  expect(noteState(state("b", 4, "ringing", false)).saved).toBe(true);
  noteState(state("c", 4, "ringing", false));
  expect(noteState(state("c", 4, "ringing", true)).saved).toBe(true);
});
