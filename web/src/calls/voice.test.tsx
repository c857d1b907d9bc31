import { act, render, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";

import { growTrace, useLiveTrace } from "./live_trace";
import { silenceEnd } from "./player";
import { VoiceTrace } from "./trace";

describe("silence that is skipped", () => {
  // Five values a second: a second of speech, two of silence, a breath within speech.
  const ours = [50, 60, 50, 40, 50, ...Array<number>(10).fill(0), 40, 0, 0, 0, 0, 30];
  const theirs = ours.map(() => 3);
  it("ends where somebody speaks again, a moment before", () => {
    expect(silenceEnd({ ours, theirs }, 1.0)).toBeCloseTo(2.8);
    expect(silenceEnd({ ours, theirs }, 1.5)).toBeCloseTo(2.8);
  });
  it("is none while somebody speaks, or takes a breath", () => {
    expect(silenceEnd({ ours, theirs }, 0.2)).toBeUndefined();
    expect(silenceEnd({ ours, theirs }, 3.2)).toBeUndefined();
  });
  it("is none where the other side speaks", () => {
    expect(silenceEnd({ ours, theirs: ours.map(() => 40) }, 1.5)).toBeUndefined();
  });
});

function Live({ call }: { call: string }) {
  const trace = useLiveTrace(call);
  return <VoiceTrace trace={trace} width={10} gaps={[{ from: 0.2, to: 0.4 }]} ticks={[0.5]} at={0.1} />;
}

describe("a voice trace", () => {
  it("grows with what is heard, ours above the line and theirs below", () => {
    render(<Live call="c1" />);
    const picture = screen.getByRole("img");
    expect(picture.dataset["values"]).toBe("0");
    act(() => {
      growTrace("c1", { ours: [100, 0], theirs: [0, 50] });
      growTrace("c2", { ours: [1], theirs: [1] });
    });
    expect(picture.dataset["values"]).toBe("2");
    const [above, below] = [...picture.querySelectorAll("path")].map((p) => p.getAttribute("d"));
    expect(above).toBe("M0 50L0 2.0L1 2.0L1 50.0L2 50.0L2 50Z");
    expect(below).toBe("M0 50L0 50.0L1 50.0L1 74.0L2 74.0L2 50Z");
    expect(picture.querySelectorAll("rect")).toHaveLength(1);
  });
  it("keeps the newest two minutes of a call", () => {
    render(<Live call="c3" />);
    act(() => {
      for (let i = 0; i < 400; i++) growTrace("c3", { ours: [i % 100, 0], theirs: [0, 0] });
    });
    expect(screen.getByRole("img").dataset["values"]).toBe("600");
  });
});
