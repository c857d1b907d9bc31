import { describe, expect, it } from "vitest";

import type { CallState } from "../api/client";
import { duration } from "../ui/clock";
import { dayName, dayShort, setPlace, shortTime } from "../ui/times";
import { partsAt, stateWord } from "./words";

const at = (s: number) => new Date(Date.UTC(2026, 2, 2, 15, 0, s)).toISOString();
const state = (rest: Partial<CallState>): CallState => ({
  call_id: "c",
  seq: 1,
  phase: "dialing",
  on_hold: false,
  muted: false,
  started_at: at(0),
  rang_at: null,
  answered_at: null,
  ended_at: null,
  end_reason: "",
  saved: true,
  ...rest,
});

describe("the clock", () => {
  it("counts dialing, ringing and talking apart, and their sum is the whole", () => {
    const now = Date.parse(at(100));
    expect(partsAt(state({}), now)).toEqual({ dialing: 100_000, ringing: 0, talking: 0 });
    expect(partsAt(state({ rang_at: at(2) }), now)).toEqual({ dialing: 2_000, ringing: 98_000, talking: 0 });
    expect(partsAt(state({ rang_at: at(2), answered_at: at(9) }), now)).toEqual({
      dialing: 2_000,
      ringing: 7_000,
      talking: 91_000,
    });
    expect(partsAt(state({ answered_at: at(9), ended_at: at(30) }), now)).toEqual({
      dialing: 9_000,
      ringing: 0,
      talking: 21_000,
    });
    expect(partsAt(state({ ended_at: at(3) }), now)).toEqual({ dialing: 3_000, ringing: 0, talking: 0 });
  });

  it("never goes below nought with a clock that is wrong", () => {
    expect(partsAt(state({}), Date.parse(at(-50)))).toEqual({ dialing: 0, ringing: 0, talking: 0 });
  });

  it("is written to be read", () => {
    expect([0, 7_400, 754_000, 3_723_000, -5].map(duration)).toEqual(["0:00", "0:07", "12:34", "1:02:03", "0:00"]);
  });
});

describe("words", () => {
  it("say the reason of an end", () => {
    expect(stateWord(state({}))).toBe("dialing");
    expect(stateWord(state({ phase: "ended", end_reason: "busy" }))).toBe("busy");
    expect(stateWord(state({ phase: "ended", end_reason: "out_of_service" }))).toBe("out of service");
  });

  it("name days in the reader's zone, not in this machine's", () => {
    const now = Date.UTC(2026, 2, 3, 3, 0); // still the 2nd in New York
    setPlace("America/New_York", "US");
    expect(dayName("2026-03-02T15:00:00Z", now)).toBe("Today");
    expect(shortTime("2026-03-02T15:00:00Z", now)).toBe("10:00 AM");
    setPlace("Europe/London", "GB");
    expect(dayName("2026-03-02T15:00:00Z", now)).toBe("Yesterday");
    expect(dayShort("2026-02-20T15:00:00Z", now)).toBe("Fri 20 Feb");
    setPlace("America/New_York", "US");
    expect(dayShort("2026-02-20T15:00:00Z", now)).toBe("Fri, Feb 20");
    setPlace("Nowhere/At_All", "US");
    expect(dayName("2025-02-20T15:00:00Z", now)).toContain("2025");
  });
});
