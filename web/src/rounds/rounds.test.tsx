import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { asked, bookOf, callOf, ids, command, keyDown, me, mobile, open, problem, serve, sheet } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
  sessionStorage.clear();
});

const berit = { id: ids.berit, kind: "contact" as const, name: "Berit Osterlund" };

const settings: Schemas["RoundSettings"] = {
  order: "listed",
  skip_called_today: true,
  per_day: 2,
  per_round: 4,
  pace: "at_once",
  seconds: 5,
  retry_minutes: 120,
  other_hour: true,
  then: [],
  shown: "rep",
  max_shown: 0,
  record: "rules",
  takes_calls: true,
  promises: true,
};

const attempt = (more: Parameters<typeof callOf>[0] = {}) =>
  callOf({ id: "c1", round_id: "r1", links: [{ record: berit, role: "person", reason: "" }], ...more });

const current = (more: Partial<Schemas["RoundCurrent"]> = {}): Schemas["RoundCurrent"] => ({
  position: 1,
  record: berit,
  company: "Vesper Hollow Nursery",
  attempt: 1,
  number_id: mobile.id,
  numbers: [mobile],
  reach: "best 9 to 11: 5 of 7 answered, 45 to 80 % likely",
  until: null,
  dial_at: null,
  call: null,
  state: "taken",
  ...more,
});

const day = { called: 3, reached: 1, outcomes: [{ outcome: "Visit agreed", reached: true, people: 1 }] };

const roundOf = (more: Partial<Schemas["Round"]> = {}): Schemas["Round"] => ({
  id: "r1",
  name: "Spring filters",
  list_id: null,
  starter: "Ines Calloway",
  started_at: new Date().toISOString(),
  settings,
  version: 1,
  total: 3,
  preparing: false,
  remaining: 2,
  ready: 1,
  later: 0,
  next_at: null,
  called: 1,
  reached: 1,
  over: false,
  mine: "going",
  why: "",
  waits: "",
  stop_after: false,
  reps: [{ id: ids.ines, name: "Ines Calloway", state: "going", why: "" }],
  current: current(),
  average_ms: 161_000,
  done_at: null,
  today: day,
  yesterday: { called: 2, reached: 2, outcomes: [{ outcome: "Visit agreed", reached: true, people: 2 }] },
  undo: null,
  ...more,
});

const people: Schemas["RoundPerson"][] = (["spoke", "current", "later"] as const).map((bead, position) => ({
  position,
  record: {
    ...berit,
    id: `p${String(position)}`,
    name: ["Aron Pell", "Berit Osterlund", "Corin Ashdale"][position] ?? "",
  },
  bead,
  why: "",
  attempts: position === 2 ? 2 : 1,
  rep: "",
  outcome: position === 0 ? "Visit agreed" : "",
  left: "",
  at: null,
  call_id: null,
}));

const noAnswer = { ...(me.outcomes[0] as Schemas["Outcome"]), id: "o6", label: "No answer", reached: false };

/** working serves a round as it is now; what is posted is answered with next. */
function working(now: Schemas["Round"], next?: (path: string, body: unknown) => Schemas["Round"]) {
  let round = now;
  return serve(({ method, path, body }) => {
    if (path === "/api/session") return { body: { ...me, outcomes: [...me.outcomes, noAnswer] } };
    if (path === "/api/rounds")
      return {
        body: [{ id: "r1", name: now.name, starter: "", remaining: 2, mine: round.mine, why: "", going: [] }],
      };
    if (path === "/api/rounds/r1/people") return { body: people };
    if (path === "/api/desk") return { body: { calls: round.current?.call ? [round.current.call] : [] } };
    if (path === `/api/records/${ids.berit}`) return { body: sheet };
    if (path === "/api/rounds/r1") return { body: round };
    if (method === "POST" && path.startsWith("/api/rounds/r1/") && next) {
      round = next(path, body);
      return { body: round };
    }
    return undefined;
  });
}

describe("a round", () => {
  it("shows its beads, whom it is at and how far it is", async () => {
    working(roundOf());
    open("/rounds/r1");
    const beads = await screen.findByTestId("beads");
    await waitFor(() => {
      expect(within(beads).getAllByRole("button")).toHaveLength(3);
    });
    expect(within(beads).getByLabelText(/Corin Ashdale: later, 2 tries/)).toBeInTheDocument();
    expect(screen.getByTestId("round-figures")).toHaveTextContent("2:41");
    expect(screen.getByTestId("round-today")).toHaveTextContent("Visit agreed 1 (yesterday 2)");
    expect(await screen.findByText(/first try · best 9 to 11/)).toBeInTheDocument();
    const first = within(beads).getByLabelText(/Berit Osterlund/);
    fireEvent.keyDown(first, { key: "ArrowRight" });
    expect(screen.getByTestId("bead-told")).toHaveTextContent("Corin Ashdale");
  });

  it("calls the next one with the key, and goes on with the key of an outcome", async () => {
    const ringing = attempt();
    const log = working(roundOf(), (path) =>
      path.endsWith("/settle")
        ? roundOf({ current: current({ position: 2, record: { ...berit, name: "Corin Ashdale" } }) })
        : roundOf({ current: current({ state: "calling", call: ringing }) }),
    );
    open("/rounds/r1");
    expect(await screen.findByTestId("next-of-round")).toHaveTextContent("Berit Osterlund");
    keyDown("c");
    expect(await screen.findByTestId("slip")).toHaveTextContent("Berit Osterlund");
    keyDown("3");
    await waitFor(() => {
      expect(asked(log, "POST", "/api/rounds/r1/settle")).toHaveLength(1);
    });
    expect(asked(log, "POST", "/api/rounds/r1/settle")[0]?.body).toEqual({
      slip_id: ringing.slip.id,
      outcome_id: "o6",
    });
    expect(await screen.findByTestId("next-of-round")).toHaveTextContent("Corin Ashdale");
    expect(screen.queryByTestId("slip")).not.toBeInTheDocument();
  });

  it("keeps an outcome of a conversation until its end, and does not skip who is spoken with", async () => {
    const speaking = callOf(
      { id: "c1", round_id: "r1", links: [{ record: berit, role: "person", reason: "" }] },
      {},
      { phase: "speaking", answered_at: new Date().toISOString() },
    );
    const log = working(roundOf({ current: current({ state: "calling", call: speaking }) }), () => roundOf());
    open("/rounds/r1");
    await screen.findByTestId("slip");
    command(".");
    command("1");
    await waitFor(() => {
      expect(asked(log, "PATCH", `/api/slips/${speaking.slip.id}`)).toHaveLength(1);
    });
    expect(asked(log, "POST", "/api/rounds/r1/settle")).toHaveLength(0);
    expect(asked(log, "POST", "/api/rounds/r1/acts")).toHaveLength(0);
  });

  it("says why it waits, and goes on anyway when it is told to", async () => {
    const log = working(roundOf({ current: null, waits: "you promised Aron Pell a call at 14:30" }), () => roundOf());
    open("/");
    expect(await screen.findByTestId("next-of-round")).toHaveTextContent(
      "The round waits: you promised Aron Pell a call at 14:30.",
    );
    fireEvent.click(screen.getByRole("button", { name: /Continue anyway/ }));
    await waitFor(() => {
      expect(asked(log, "POST", "/api/rounds/r1/acts")[0]?.body).toEqual({ act: "go", anyway: true });
    });
  });

  it("counts down to the next call and makes it once", async () => {
    const log = working(roundOf({ current: current({ dial_at: new Date(Date.now() + 150).toISOString() }) }), () =>
      roundOf({ current: current({ state: "calling", call: attempt() }) }),
    );
    open("/rounds/r1");
    expect(await screen.findByTestId("slip")).toHaveTextContent("Berit Osterlund");
    expect(asked(log, "POST", "/api/rounds/r1/acts")).toHaveLength(1);
  });
});

describe("the start of a round", () => {
  const choices = { settings, lines: [{ id: "l1", label: "Sales 413 555 0110" }], says: ["o6"] };
  const preview = {
    name: "Spring filters",
    total: 12,
    looked_at: 12,
    ready: 9,
    why: [],
    sentence: "9 of 12 can be called now: 3 were called today.",
    going: [],
  };

  it("says how many remain, and starts with what was chosen", async () => {
    const log = serve(({ method, path, body }) => {
      if (path === "/api/book") return { body: bookOf() };
      if (path === "/api/rounds/defaults") return { body: choices };
      if (path === "/api/rounds/preview") {
        const asks = body as Schemas["RoundStart"];
        return { body: { ...preview, sentence: asks.settings.skip_called_today ? preview.sentence : "All 12 can." } };
      }
      if (path === "/api/rounds" && method === "POST") return { body: roundOf({ mine: "paused", current: null }) };
      if (path === "/api/rounds/r1/acts") return { body: roundOf() };
      if (path === "/api/rounds/r1") return { body: roundOf() };
      if (path === "/api/rounds/r1/people") return { body: people };
      return undefined;
    });
    const router = open("/rounds/new?list=l9");
    await screen.findByText(/9 of 12 can be called now/);
    fireEvent.click(screen.getByLabelText("leave out who was called today"));
    await waitFor(() => {
      expect(screen.getByTestId("round-sentence")).toHaveTextContent("All 12 can.");
    });
    fireEvent.change(screen.getByLabelText("They see"), { target: { value: "line" } });
    fireEvent.click(screen.getByRole("button", { name: "Start" }));
    await waitFor(() => {
      expect(router.state.location.pathname).toBe("/rounds/r1");
    });
    const started = asked(log, "POST", "/api/rounds")[0]?.body as Schemas["RoundStart"];
    expect(started.list_id).toBe("l9");
    expect(started.settings.skip_called_today).toBe(false);
    expect(started.settings.line_id).toBe("l1");
    expect(asked(log, "POST", "/api/rounds/r1/acts")[0]?.body).toEqual({ act: "go" });
    cleanup();
  });

  it("says what is wrong, and lets nobody start then", async () => {
    serve(({ path }) => {
      if (path === "/api/rounds/defaults") return { body: choices };
      if (path === "/api/rounds/preview") return problem(422, "invalid", "there is nobody on it who can be called");
      return undefined;
    });
    open("/rounds/new?lane=true");
    await waitFor(() => {
      expect(screen.getByTestId("round-sentence")).toHaveTextContent("there is nobody on it");
    });
    expect(screen.getByRole("button", { name: "Start" })).toBeDisabled();
  });
});
