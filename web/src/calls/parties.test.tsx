import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Call, Schemas } from "../api/client";
import { asked, callOf, command, FakeSocket, ids, keyDown, open, serve } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

const party = (leg: number, more: Partial<Schemas["Party"]>): Schemas["Party"] => ({
  leg,
  ours: true,
  name: "",
  state: "speaking",
  role: "none",
  mine: false,
  hears_me: false,
  muted: false,
  since: new Date().toISOString(),
  may_drop: false,
  word: "",
  answer: "",
  why: "",
  ...more,
});
const me = party(1, { name: "Ines Calloway", mine: true });
const customer = party(2, { ours: false });
const tomas = party(3, { name: "Tomas Reyl", role: "consult", may_drop: true });

const speaking = (parties: Schemas["Party"][] | undefined, acts: Schemas["Act"][], more: Partial<Call> = {}) =>
  callOf(more, {}, { phase: "speaking", answered_at: new Date().toISOString(), ...(parties ? { parties } : {}), acts });

/** desk serves a call that lies on the desk. */
const desk = (
  call: Call,
  answers: (a: { method: string; path: string; body: unknown }) => { body: unknown } | undefined = () => undefined,
) => serve((a) => answers(a) ?? (a.path === "/api/desk" ? { body: { calls: [call] } } : undefined));

const askable = (id: string, name: string, rings: boolean, reason = ""): Schemas["Askable"] => ({
  colleague: {
    id,
    name,
    extension: "31",
    team: "Service",
    availability: rings ? "Available" : "Speaking",
    free: rings,
    reached: true,
    since: null,
  },
  skills: ["pumps"],
  reason,
  line: "Service, ext. 31",
  rings,
});

/** options are what the picker of whom to ask offers. */
const options = async () => within(await screen.findByRole("dialog")).findAllByRole("option");

describe("a call of more than two", () => {
  it("asks the best guess with two presses, and gives the call away with shift", async () => {
    const call = speaking(undefined, ["ask", "park"]);
    const log = desk(call, ({ method, path }) => {
      if (path.endsWith("/whom"))
        return {
          body: {
            people: [askable("t", "Tomas Reyl", true, "knows pumps well"), askable("g", "Gunnar Pettibone", false)],
            lines: [{ id: "l", label: "Service", open: false, free: 0 }],
          },
        };
      return method === "POST" && path.endsWith("/asks") ? { body: call } : undefined;
    });
    open(`/records/${ids.berit}`);
    await screen.findByTestId("slip");
    command("w");
    const found = await options();
    expect(found.map((o) => o.textContent)).toEqual([
      expect.stringContaining("knows pumps well"),
      expect.stringContaining("Park the call"),
      expect.stringContaining("Ask for help"),
      expect.stringContaining("closed now"),
      expect.stringContaining("Gunnar Pettibone"),
    ]);
    keyDown("Enter");
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/asks")[0]?.body).toEqual({ as: "consult", colleague_id: "t" });
    });
    await waitFor(() => {
      expect(screen.queryByRole("dialog")).not.toBeInTheDocument();
    });
    command("w");
    await options();
    keyDown("Enter", { shiftKey: true });
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/asks")[1]?.body).toEqual({ as: "handed", colleague_id: "t" });
    });
  });

  it("waits with Enter for what is found for the text, and never takes what stood there before", async () => {
    let late: (a: { body: unknown }) => void = () => undefined;
    const call = speaking(undefined, ["ask", "park"]);
    const log = serve(({ method, path, search }) => {
      if (path === "/api/desk") return { body: { calls: [call] } };
      if (path.endsWith("/whom") && search.includes("q=gun")) return new Promise((done) => (late = done));
      if (path.endsWith("/whom")) return { body: { people: [askable("t", "Tomas Reyl", true)], lines: [] } };
      return method === "POST" && path.endsWith("/asks") ? { body: call } : undefined;
    });
    open(`/records/${ids.berit}`);
    await screen.findByTestId("slip");
    command("w");
    await options();
    fireEvent.change(screen.getByRole("combobox", { name: /Name, team/ }), { target: { value: "gun" } });
    keyDown("Enter");
    await waitFor(() => {
      expect(asked(log, "GET", "/api/calls/c1/whom")).toHaveLength(2);
    });
    expect(asked(log, "POST", "/api/calls/c1/asks")).toHaveLength(0);
    late({ body: { people: [askable("g", "Gunnar Pettibone", true)], lines: [] } });
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/asks").map((a) => a.body)).toEqual([
        { as: "consult", colleague_id: "g" },
      ]);
    });
  });

  it("offers something else for who cannot be rung", async () => {
    const log = desk(speaking(undefined, ["ask"]), ({ method, path }) => {
      if (path.endsWith("/whom")) return { body: { people: [askable("g", "Gunnar Pettibone", false)], lines: [] } };
      return method === "PUT" && path === "/api/team/g/watch" ? { body: {} } : undefined;
    });
    open(`/records/${ids.berit}`);
    await screen.findByTestId("slip");
    command("w");
    await options();
    keyDown("ArrowDown");
    keyDown("Enter"); // nothing: it would not ring
    expect(screen.getByRole("button", { name: "Leave a note" })).toBeInTheDocument();
    expect(screen.getByRole("button", { name: "Give to voicemail" })).toBeInTheDocument();
    fireEvent.click(screen.getByRole("button", { name: "Tell me when free" }));
    await waitFor(() => {
      expect(asked(log, "PUT", "/api/team/g/watch")).toHaveLength(1);
    });
    expect(asked(log, "POST", "/api/calls/c1/asks")).toHaveLength(0);
  });

  it("says in words who hears me and who waits, and ends the smaller talk first", async () => {
    const call = speaking(
      [me, { ...customer, state: "waiting" }, { ...tomas, hears_me: true }],
      ["swap", "back", "join", "hand_over"],
    );
    const log = desk(call, ({ method }) => (method === "DELETE" ? { body: {} } : undefined));
    open(`/records/${ids.berit}`);
    const hears = await screen.findByTestId("hears-me");
    expect(hears).toHaveTextContent("You are speaking withTomas Reyl");
    expect(screen.getByTestId("parties")).toHaveTextContent("Berit Osterlundwaits with music");
    command("e");
    await waitFor(() => {
      expect(asked(log, "DELETE", "/api/calls/c1/parties/3")).toHaveLength(1);
    });
    expect(asked(log, "POST", "/api/calls/c1/hang-up")).toHaveLength(0);
  });

  it.each([
    ["h", "swap"],
    ["j", "join"],
    ["s", "hand_over"],
  ])("does with %s: %s", async (key, act) => {
    const call = speaking(
      [me, { ...customer, state: "waiting" }, { ...tomas, hears_me: true }],
      ["swap", "back", "join", "hand_over"],
    );
    const log = desk(call, ({ path }) => (path.endsWith("/turn") ? { body: call } : undefined));
    open(`/records/${ids.berit}`);
    await screen.findByTestId("hears-me");
    command(key);
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/turn").map((a) => a.body)).toEqual([{ act }]);
    });
  });

  it("loses no key that is pressed before the server has answered", async () => {
    const to = (tomasHears: boolean) =>
      speaking(
        [me, { ...customer, hears_me: !tomasHears }, { ...tomas, hears_me: tomasHears }],
        ["swap", "back", "join", "hand_over"],
      );
    let hears = true;
    const log = desk(to(true), ({ path }) => {
      if (!path.endsWith("/turn")) return undefined;
      hears = !hears;
      return { body: to(hears) };
    });
    open(`/records/${ids.berit}`);
    await screen.findByTestId("hears-me");
    command("h");
    command("h");
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/turn").map((a) => a.body)).toEqual([{ act: "swap" }, { act: "swap" }]);
    });
    expect(hears).toBe(true);
  });

  it.each([
    ["hold", "h"],
    ["mute", "m"],
  ])("turns %s back when its key comes again before the answer", async (what, key) => {
    const log = desk(speaking(undefined, ["hold", "ask"]), ({ path }) =>
      path.endsWith(`/${what}`) ? { body: {} } : undefined,
    );
    open(`/records/${ids.berit}`);
    await screen.findByRole("button", { name: /^Mute/ });
    command(key);
    command(key);
    await waitFor(() => {
      expect(asked(log, "PUT", `/api/calls/c1/${what}`).map((a) => a.body)).toEqual([{ on: true }, { on: false }]);
    });
  });

  it("offers nothing that cannot be done now, and says who declined with which word", async () => {
    desk(
      speaking(
        [
          me,
          { ...customer, state: "waiting" },
          { ...tomas, state: "ended", may_drop: false, why: "Declined", answer: "in five minutes" },
        ],
        ["back"],
      ),
    );
    open(`/records/${ids.berit}`);
    const line = await screen.findByTestId("parties");
    expect(line).toHaveTextContent("Nobody hears you");
    expect(line).toHaveTextContent("Tomas Reyldeclined“in five minutes”");
    expect(
      within(line)
        .getAllByRole("button")
        .map((b) => b.textContent),
    ).toEqual([expect.stringContaining("Back to Berit")]);
  });

  it("shows a call that was given away as over, and rings where it comes back", async () => {
    const left = callOf(
      {},
      {},
      {
        phase: "speaking",
        left_at: new Date().toISOString(),
        left_reason: "handed_on",
        parties: [customer],
        acts: ["take"],
      },
    );
    desk(left);
    open(`/records/${ids.berit}`);
    const slip = await screen.findByTestId("slip");
    expect(slip).toHaveAttribute("data-phase", "ended");
    expect(within(slip).getByText("handed over")).toBeInTheDocument();
    expect(within(slip).getByRole("button", { name: "Take it back" })).toBeInTheDocument();
    FakeSocket.all[0]?.tell({ n: 1, kind: "hello", epoch: "e" });
    FakeSocket.all[0]?.tell({
      n: 2,
      kind: "ring",
      rings: [
        {
          call_id: "c1",
          since: new Date().toISOString(),
          display: "413 555 0142",
          withheld: false,
          internal: false,
          line: "Sales",
          source: "",
          company: "",
          candidates: [],
          clear: false,
          address: "",
          facts: [],
          asked: { name: "", role: "back", word: "Tomas Reyl did not answer", notes: "", subject: "", promised: [] },
        },
      ],
    });
    expect(await screen.findByText("Comes back to you")).toBeInTheDocument();
  });
});

describe("calls that wait", () => {
  it("are taken with one key, and help is heard instead", async () => {
    const waiting = (more: Partial<Schemas["WaitingCall"]>): Schemas["WaitingCall"] => ({
      call_id: "p1",
      name: "Berit Osterlund",
      display: "413 555 0142",
      line: "Sales",
      since: new Date().toISOString(),
      place: "1",
      rings: [],
      by: "Tomas Reyl",
      note: "",
      help: false,
      ...more,
    });
    const log = serve(({ method, path }) => {
      if (path === "/api/waiting")
        return {
          body: [
            waiting({ call_id: "h1", help: true, place: "" }),
            waiting({}),
            waiting({ call_id: "r1", rings: ["Ada"] }),
          ],
        };
      if (path === "/api/calls/h1/listening") return { status: 204 };
      return method === "POST" && path === "/api/calls/p1/take" ? { body: callOf({ id: "p1" }) } : undefined;
    });
    open("/people");
    const lines = await screen.findAllByTestId("waiting");
    expect(lines.map((l) => l.textContent)).toEqual([
      expect.stringContaining("Tomas Reyl asks for help"),
      expect.stringContaining("Parked at 1"),
    ]);
    keyDown("z");
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/p1/take")).toHaveLength(1);
    });
    fireEvent.click(screen.getByRole("button", { name: "Listen" }));
    await waitFor(() => {
      expect(asked(log, "PUT", "/api/calls/h1/listening")[0]?.body).toEqual({ how: "listen" });
    });
  });
});
