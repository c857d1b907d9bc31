import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { secondsOf } from "./confirm_times";
import { asked, callOf, FakeSocket, open, problem, serve, meWith } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

const settings: Schemas["RecordingSettings"] = {
  everybody: "announce",
  call_days: 0,
  message_days: 0,
  prepared_consent: false,
  notice_days: 7,
  expiring: 0,
  reps: [{ id: "u1", name: "Ines Calloway", rule: "" }],
};

describe("the rules of recording", () => {
  it("say what a shorter time would delete before it is saved", async () => {
    const log = serve(({ method, path, search }) => {
      if (path === "/api/session") return { body: meWith("telephony") };
      if (path === "/api/settings/recording/would-delete")
        return { body: { count: search.includes("call_days=30") ? 12 : 0 } };
      if (path === "/api/settings/recording")
        return {
          body:
            method === "PUT"
              ? { ...settings, call_days: 30, expiring: 12, expires_first: "2026-12-02T00:00:00Z" }
              : settings,
        };
      return undefined;
    });
    open("/settings?tab=recording");
    fireEvent.change(await screen.findByLabelText("Days that calls are kept"), { target: { value: "30" } });
    expect(await screen.findByText(/will delete 12 recordings, 7 days from now/)).toBeInTheDocument();
    fireEvent.change(screen.getByLabelText("Ines Calloway"), { target: { value: "ask" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(await screen.findByText(/12 recordings will be deleted, the first on December 1, 2026/)).toBeInTheDocument();
    expect(asked(log, "PUT", "/api/settings/recording")[0]?.body).toMatchObject({
      call_days: 30,
      everybody: "announce",
      reps: [{ id: "u1", rule: "ask" }],
    });
  });
});

const telephone: Schemas["Telephone"] = {
  number: "+14135550160",
  display: "413 555 0160",
  verified: false,
  speaks: false,
  rings: false,
  press_one: true,
};

describe("one's own telephone", () => {
  const down = { state: "down", number: "", for: "", standing: false, trouble: "" } as const;
  const sound = (now: Partial<Schemas["TelephoneInUse"]>): Schemas["Sound"] => ({
    connected: true,
    speaks: true,
    telephone: { ...down, ...now },
  });

  it("is confirmed by the code that was spoken to it", async () => {
    const log = serve(({ method, path, body }) => {
      if (path === "/api/telephone" && method === "GET") return { body: telephone };
      if (path === "/api/telephone/code") return { status: 204 };
      if (path !== "/api/telephone/verify") return undefined;
      return (body as { code: string }).code === "4711"
        ? { body: { ...telephone, verified: true } }
        : problem(422, "invalid", "this is not the code that was spoken", { field: "code" });
    });
    open("/settings?tab=sound");
    fireEvent.click(await screen.findByRole("button", { name: "Call me with a code" }));
    const code = await screen.findByLabelText("Code");
    fireEvent.change(code, { target: { value: "1" } });
    fireEvent.click(screen.getByRole("button", { name: "Confirm" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("not the code");
    fireEvent.change(code, { target: { value: "4711" } });
    fireEvent.click(screen.getByRole("button", { name: "Confirm" }));
    expect(await screen.findByText("Confirmed")).toBeInTheDocument();
    expect(asked(log, "POST", "/api/telephone/verify")).toHaveLength(2);
  });

  it("is said to ring, and for whom, and can be stopped", async () => {
    let now = sound({ state: "press", number: "413 555 0160", for: "Berit Osterlund" });
    const log = serve(({ method, path }) => {
      if (path === "/api/telephone/leg" && method === "DELETE") now = sound({});
      return path === "/api/sound" || path === "/api/telephone/leg" ? { body: now } : undefined;
    });
    open("/people");
    expect(await screen.findByTestId("telephone")).toHaveTextContent("Press 1 there for Berit Osterlund");
    fireEvent.click(screen.getByRole("button", { name: "Stop ringing it" }));
    await waitFor(() => {
      expect(screen.queryByTestId("telephone")).not.toBeInTheDocument();
    });
    expect(asked(log, "DELETE", "/api/telephone/leg")).toHaveLength(1);
  });

  it("says why it was not to be had, until that was read", async () => {
    serve(({ path }) => (path === "/api/sound" ? { body: sound({ trouble: "Your telephone is busy." }) } : undefined));
    open("/people");
    const notice = await screen.findByTestId("telephone");
    expect(notice).toHaveTextContent("Your telephone is busy.");
    fireEvent.click(within(notice).getByRole("button"));
    expect(screen.queryByTestId("telephone")).not.toBeInTheDocument();
  });
});

describe("the recording on a slip", () => {
  const speaking = (recording: Schemas["Call"]["recording"]) =>
    callOf(recording ? { recording } : {}, {}, { phase: "speaking", answered_at: new Date().toISOString() });
  const trace = { ours: [], theirs: [] };

  it("asks where they have to agree, and records when they do", async () => {
    const asking = speaking({ state: "asking", kind: "call", why: "in California everybody must agree", ms: 0, trace });
    const going = speaking({ state: "going", kind: "call", why: "", ms: 0, trace });
    const log = serve(({ method, path }) => {
      if (path === "/api/desk") return { body: { calls: [asking] } };
      return method === "POST" && path === "/api/calls/c1/recording" ? { body: going } : undefined;
    });
    open("/people");
    const slip = await screen.findByTestId("recording");
    expect(slip).toHaveTextContent("ask them");
    expect(slip).toHaveTextContent("in California everybody must agree");
    fireEvent.click(screen.getByRole("button", { name: /They agree/ }));
    await waitFor(() => {
      expect(screen.getByTestId("recording")).toHaveAttribute("data-state", "going");
    });
    expect(asked(log, "POST", "/api/calls/c1/recording")[0]?.body).toEqual({ action: "start" });
  });

  it("takes a no", async () => {
    const asking = speaking({ state: "asking", kind: "call", why: "", ms: 0, trace });
    const off = speaking({ state: "off", kind: "call", why: "they did not agree", ms: 0, trace });
    const log = serve(({ method, path }) => {
      if (path === "/api/desk") return { body: { calls: [asking] } };
      return method === "POST" && path === "/api/calls/c1/recording" ? { body: off } : undefined;
    });
    open("/people");
    fireEvent.click(await screen.findByRole("button", { name: "They do not" }));
    expect(await screen.findByText("(they did not agree)")).toBeInTheDocument();
    expect(asked(log, "POST", "/api/calls/c1/recording")[0]?.body).toEqual({ action: "refuse" });
  });
});

describe("a follow-up that the notes name", () => {
  it("is proposed, and put on the lane by a click", async () => {
    const log = serve(({ method, path }) => {
      if (path === "/api/desk")
        return {
          body: {
            calls: [
              callOf(
                {},
                { notes: { body: "Call back thu 3pm", version: 1, saved: true, saved_at: null } },
                { phase: "ended", end_reason: "ended_by_us", ended_at: new Date().toISOString() },
              ),
            ],
          },
        };
      if (path.endsWith("/follow-up-proposal"))
        return {
          body: {
            addresses: [],
            found: true,
            kind: "call",
            text: "Call back thu 3pm",
            when: "Thu 26 Nov, 15:00",
            due_at: "2026-11-26T20:00:00Z",
            day_only: false,
          },
        };
      return method === "POST" && path.endsWith("/follow-ups") ? { status: 201, body: {} } : undefined;
    });
    open("/people");
    const line = await screen.findByTestId("proposal", {}, { timeout: 3000 });
    expect(line).toHaveTextContent("Thu 26 Nov, 15:00");
    fireEvent.click(within(line).getByRole("button", { name: "Put on my lane" }));
    await waitFor(() => {
      expect(screen.queryByTestId("proposal")).not.toBeInTheDocument();
    });
    expect(log.find((x) => x.path.endsWith("/follow-ups"))?.body).toEqual({
      text: "Call back thu 3pm",
      kind: "call",
      day_only: false,
      due_at: "2026-11-26T20:00:00Z",
    });
  });
});

describe("a call of the computer's own program", () => {
  it("asks how long one talked", async () => {
    const made = callOf(
      { unconfirmed: true, dial_to: "tel:+14135550142", by_hand: true },
      {},
      { phase: "ended", end_reason: "unconfirmed", ended_at: new Date().toISOString() },
    );
    const log = serve(({ method, path }) => {
      if (path === "/api/desk") return { body: { calls: [made] } };
      return method === "PUT" && path === "/api/calls/c1/times"
        ? { body: { ...made, unconfirmed: false, dial_to: "" } }
        : undefined;
    });
    open("/people");
    const form = await screen.findByTestId("confirm-times");
    const field = within(form).getByLabelText(/Talked for/);
    fireEvent.change(field, { target: { value: "a while" } });
    expect(within(form).getByRole("button", { name: "Confirm" })).toBeDisabled();
    fireEvent.change(field, { target: { value: "1:23" } });
    fireEvent.click(within(form).getByRole("button", { name: "Confirm" }));
    await waitFor(() => {
      expect(screen.queryByTestId("confirm-times")).not.toBeInTheDocument();
    });
    expect(asked(log, "PUT", "/api/calls/c1/times")[0]?.body).toEqual({ seconds: 83 });
  });
  it("reads minutes and seconds", () => {
    expect(["1:23", "83", " 0:05 ", "", "1:2:3", "x", "100:00"].map(secondsOf)).toEqual([
      83,
      83,
      5,
      undefined,
      undefined,
      undefined,
      6000,
    ]);
  });
});

describe("a message that is owed", () => {
  it("is played where it is owed, and says that somebody has heard it", async () => {
    const play = vi.spyOn(HTMLMediaElement.prototype, "play").mockResolvedValue();
    const pause = vi.spyOn(HTMLMediaElement.prototype, "pause").mockReturnValue();
    const entry: Schemas["LaneEntry"] = {
      kind: "missed",
      id: "c7",
      record: null,
      number: null,
      typed: "802 555 0164",
      text: "802 555 0164",
      reason: "left a message of 0:43",
      late: "nobody called back",
      tone: "late",
      when: "24 Nov",
      call_id: "c7",
      taken_by: "",
      due_at: null,
      day_only: false,
      message_id: "r7",
      message_heard: true,
      version: 1,
    };
    serve(({ path }) =>
      path === "/api/lane"
        ? { body: { owed: [entry], today: 1, just_now: [], at: new Date().toISOString() } }
        : undefined,
    );
    open("/people");
    const button = await screen.findByRole("button", { name: /Play the message/ });
    expect(button).toHaveTextContent("(heard)");
    fireEvent.click(button);
    expect(play).toHaveBeenCalledTimes(1);
    expect(await screen.findByRole("button", { name: "Stop" })).toBeInTheDocument();
    fireEvent.click(screen.getByRole("button", { name: "Stop" }));
    expect(pause).toHaveBeenCalled();
    expect(FakeSocket.all.length).toBeGreaterThan(0);
    vi.restoreAllMocks();
  });
});
