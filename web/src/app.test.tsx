import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import {
  asked,
  callOf,
  command,
  FakeSocket,
  ids,
  keyDown,
  me,
  mobile,
  open,
  problem,
  serve,
  sheet,
} from "./test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

describe("signing in", () => {
  it("sends who is not signed in to the sign-in page, and lets them in with one click", async () => {
    let inside = false;
    const log = serve(({ method, path }) => {
      if (path !== "/api/session") return undefined;
      if (method === "POST") inside = true;
      return inside ? { body: me } : problem(401, "signed_out", "you are not signed in");
    });
    open("/people");
    fireEvent.click(await screen.findByText("Ines Calloway"));
    expect(await screen.findByRole("heading", { name: "People" })).toBeVisible();
    expect(asked(log, "POST", "/api/session")[0]?.body).toEqual({ login: "ines", password: "x" });
  });

  it("says what was wrong, and keeps what was typed", async () => {
    serve(({ path, method }) =>
      path === "/api/session"
        ? problem(401, method === "POST" ? "wrong_sign_in" : "signed_out", "the name or the password is wrong")
        : undefined,
    );
    open("/");
    fireEvent.change(await screen.findByLabelText("Name"), { target: { value: "ines" } });
    fireEvent.change(screen.getByLabelText("Password"), { target: { value: "guess" } });
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("the name or the password is wrong");
    expect(screen.getByLabelText("Name")).toHaveValue("ines");
  });

  it("goes to no other site afterwards", async () => {
    let inside = false;
    serve(({ path, method }) => {
      if (path !== "/api/session") return undefined;
      inside ||= method === "POST";
      return inside ? { body: me } : problem(401, "signed_out", "no");
    });
    const router = open("/sign-in?to=//elsewhere.example");
    fireEvent.click(await screen.findByText("Ines Calloway"));
    await screen.findByText("Hello, Ines");
    expect(router.state.location.href).toBe("/");
  });
});

describe("the lane", () => {
  it("says why something stands where it stands, and can be worked", async () => {
    const entry = {
      kind: "follow_up",
      id: "f1",
      record: { id: ids.berit, kind: "contact", name: "Berit Osterlund" },
      number: mobile,
      text: "Send the plan",
      reason: "promised 2:30 PM",
      late: "12 minutes late",
      tone: "late",
      when: "14:30",
      call_id: null,
      version: 7,
    };
    const log = serve(({ method, path }) => {
      if (path === "/api/lane")
        return { body: { owed: [entry], today: 1, just_now: [], at: new Date().toISOString() } };
      if (method === "PATCH") return { body: { ...entry, version: 8, state: "done" } };
      return undefined;
    });
    open("/");
    const lane = await screen.findByTestId("lane");
    expect(lane).toHaveTextContent("Berit Osterlund");
    expect(within(lane).getByText("12 minutes late")).toBeVisible();
    expect(screen.getByTestId("next")).toHaveTextContent("Call mobile 413 555 0142");
    fireEvent.click(screen.getByRole("button", { name: "Done: Send the plan" }));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => {
      expect(asked(log, "PATCH", "/api/follow-ups/f1").map((a) => a.body)).toEqual([
        { state: "done", version: 7 },
        { state: "open", version: 8 },
      ]);
    });
  });

  it("says so when it is empty, and when it cannot be loaded", async () => {
    let broken = true;
    serve(({ path }) =>
      path === "/api/lane" && broken
        ? problem(503, "database_away", "the database is unavailable for the moment")
        : undefined,
    );
    open("/people");
    expect(await screen.findByText("the database is unavailable for the moment")).toBeVisible();
    broken = false;
    fireEvent.click(screen.getByRole("button", { name: "Try again" }));
    expect(await screen.findByText(/Nothing due/)).toBeVisible();
  });
});

describe("calling", () => {
  it("takes one click, and a double click is one wish", async () => {
    const log = serve(({ method, path }) =>
      method === "POST" && path === "/api/calls" ? { status: 201, body: callOf() } : undefined,
    );
    open(`/records/${ids.berit}`);
    const number = await screen.findByRole("button", { name: /^Call.*413 555 0142/ });
    fireEvent.click(number);
    fireEvent.click(number);
    expect(await screen.findByTestId("slip")).toHaveTextContent("ringing");
    expect(asked(log, "POST", "/api/calls").map((a) => a.body)).toEqual([{ ask_hours: true, number_id: "n1" }]);
  });

  it("says why a number is not called, and dials nothing", async () => {
    const home = {
      ...mobile,
      id: "n2",
      label: "home",
      display: "413 555 0163",
      refused: "this number is marked do-not-call: her mother lives there",
    };
    const log = serve(({ path }) =>
      path === `/api/records/${ids.berit}` ? { body: { ...sheet, numbers: [home] } } : undefined,
    );
    open(`/records/${ids.berit}`);
    fireEvent.click(await screen.findByRole("button", { name: /^home.*413 555 0163/ }));
    expect((await screen.findAllByText(/her mother lives there/))[0]).toBeInTheDocument();
    expect(asked(log, "POST", "/api/calls")).toEqual([]);
  });

  it("asks before it ends the call in progress for another", async () => {
    const log = serve(({ method, path, body }) => {
      if (method !== "POST" || path !== "/api/calls") return undefined;
      return (body as { instead_of?: string }).instead_of
        ? { status: 201, body: callOf({ id: "c2" }) }
        : problem(409, "in_call", "you are in a call", { call_id: "c1" });
    });
    open(`/records/${ids.berit}`);
    fireEvent.click(await screen.findByRole("button", { name: /^Call.*413 555 0142/ }));
    const dialog = await screen.findByRole("dialog");
    expect(dialog).toHaveTextContent("Nothing was dialed");
    fireEvent.click(within(dialog).getByRole("button", { name: "End it and call Berit Osterlund" }));
    await waitFor(() => {
      expect(screen.queryByRole("dialog")).not.toBeInTheDocument();
    });
    expect(asked(log, "POST", "/api/calls").at(-1)?.body).toEqual({
      ask_hours: true,
      number_id: "n1",
      instead_of: "c1",
    });
  });

  it("closes the question when it is answered: keys pressed while the call is placed are for the call", async () => {
    let answer: (a: { status: number; body: object }) => void = () => undefined;
    const log = serve(({ method, path, body }) => {
      if (method === "POST" && path.endsWith("/hang-up")) return { body: callOf({}, {}, { phase: "ended" }) };
      if (method !== "POST" || path !== "/api/calls") return undefined;
      return (body as { instead_of?: string }).instead_of
        ? new Promise((done) => (answer = done))
        : problem(409, "in_call", "you are in a call", { call_id: "c0" });
    });
    open(`/records/${ids.berit}`);
    fireEvent.click(await screen.findByRole("button", { name: /^Call.*413 555 0142/ }));
    fireEvent.click(within(await screen.findByRole("dialog")).getByRole("button", { name: /^End it and call/ }));
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls")).toHaveLength(2);
    });
    expect(screen.queryByRole("dialog")).not.toBeInTheDocument();
    command("e");
    answer({ status: 201, body: callOf({}, {}, { phase: "ringing" }) });
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/hang-up")).toHaveLength(1);
    });
  });

  it("keeps the reason that was typed when the call could not be placed", async () => {
    serve(({ method, path, body }) => {
      if (method !== "POST" || path !== "/api/calls") return undefined;
      return (body as { override_reason?: string }).override_reason
        ? problem(503, "database_away", "new calls have to wait")
        : problem(409, "do_not_call", "asked not to be called", { may_override: true });
    });
    open(`/records/${ids.berit}`);
    fireEvent.click(await screen.findByRole("button", { name: /^Call.*413 555 0142/ }));
    fireEvent.change(await screen.findByRole("textbox", { name: /Why/ }), { target: { value: "She asked me to" } });
    fireEvent.submit(screen.getByRole("textbox", { name: /Why/ }));
    expect((await screen.findAllByText("new calls have to wait"))[0]).toBeInTheDocument();
    expect(await screen.findByDisplayValue("She asked me to")).toBeInTheDocument();
  });

  it("says what the server says when it cannot be done", async () => {
    serve(({ method, path }) =>
      method === "POST" && path === "/api/calls" ? problem(503, "database_away", "new calls have to wait") : undefined,
    );
    open(`/records/${ids.berit}`);
    fireEvent.click(await screen.findByRole("button", { name: /^Call.*413 555 0142/ }));
    expect((await screen.findAllByText("new calls have to wait"))[0]).toBeInTheDocument();
  });
});

describe("the slip", () => {
  const ended = callOf({ id: "c9" }, {}, { phase: "ended", ended_at: new Date().toISOString(), end_reason: "busy" });

  it("takes outcome, and files only when the call is over", async () => {
    let call = ended;
    const log = serve(({ method, path, body }) => {
      if (path === "/api/desk") return { body: { calls: [call] } };
      if (method === "PATCH") {
        call = callOf(
          { id: "c9" },
          { outcome_id: (body as { outcome_id: string }).outcome_id, outcome: "Visit agreed", version: 2 },
          ended.state,
        );
        return { body: call };
      }
      if (path.endsWith("/file")) return { body: callOf({ id: "c9" }, { state: "filed" }, ended.state) };
      return undefined;
    });
    open("/");
    const slip = await screen.findByTestId("slip");
    expect(slip).toHaveTextContent("busy");
    expect(screen.getByTestId("what-filing-does")).toHaveTextContent("Choose an outcome, then file.");
    keyDown("1");
    await waitFor(() => {
      expect(screen.getByTestId("what-filing-does")).toHaveTextContent(
        "Files “Visit agreed” on Berit Osterlund, Vesper Hollow Nursery.",
      );
    });
    keyDown("f");
    await waitFor(() => {
      expect(screen.queryByTestId("slip")).not.toBeInTheDocument();
    });
    expect(asked(log, "PATCH", "/api/slips/slip-of-c9")[0]?.body).toEqual({ outcome_id: "o1", version: 1 });
  });

  it("asks whose a typed number is, and attaches by a click", async () => {
    const asks = callOf(
      { id: "c8", links: [] },
      {
        asks_who: true,
        candidates: [
          {
            record: { id: ids.berit, kind: "contact", name: "Berit Osterlund" },
            reason: "the same number",
            company: "",
          },
        ],
      },
    );
    const log = serve(({ method, path }) => {
      if (path === "/api/desk") return { body: { calls: [asks] } };
      if (method === "PUT" && path.includes("/records/")) return { body: callOf({ id: "c8" }) };
      return undefined;
    });
    open("/");
    fireEvent.click(await screen.findByRole("button", { name: "Berit Osterlund the same number" }));
    await waitFor(() => {
      expect(screen.queryByTestId("attach-question")).not.toBeInTheDocument();
    });
    expect(asked(log, "PUT", `/api/calls/c8/records/${ids.berit}`)).toHaveLength(1);
  });

  it("follows the call by live events, and no late answer brings an older state back", async () => {
    const ringing = callOf({ id: "c7" });
    let slow: (() => void) | undefined;
    serve(({ path }) => (path === "/api/desk" ? { body: { calls: [ringing] } } : undefined));
    open("/");
    await screen.findByTestId("slip");
    const socket = FakeSocket.all.at(-1);
    socket?.tell({ n: 0, kind: "hello", epoch: "e1" });
    socket?.tell({
      n: 1,
      kind: "call",
      call: { ...ringing.state, seq: 2, phase: "speaking", answered_at: new Date().toISOString() },
    });
    await waitFor(() => {
      expect(screen.getByTestId("slip")).toHaveTextContent("speaking");
    });
    socket?.tell({ n: 2, kind: "slip", call_id: "c7" }); // the desk is read again, and still says ringing
    await new Promise<void>((resolve) => {
      slow = resolve;
      queueMicrotask(() => slow?.());
    });
    await waitFor(() => {
      expect(screen.getByTestId("slip")).toHaveTextContent("speaking");
    });
  });

  it("says when nothing new is saved", async () => {
    serve();
    open("/");
    await screen.findByTestId("lane");
    FakeSocket.all.at(-1)?.tell({ n: 1, kind: "saving", away: true });
    expect(await screen.findByTestId("away")).toHaveTextContent("Not saved yet: the database is unavailable");
    FakeSocket.all.at(-1)?.tell({ n: 2, kind: "saving", away: false });
    await waitFor(() => {
      expect(screen.queryByTestId("away")).not.toBeInTheDocument();
    });
  });
});

describe("the top field", () => {
  it("opens with Enter, and calls a number that is chosen with the arrow and named", async () => {
    const log = serve(({ method, path }) =>
      method === "POST" && path === "/api/calls" ? { status: 201, body: callOf({ id: "c6" }) } : undefined,
    );
    const router = open("/");
    const field = await screen.findByRole("combobox", { name: "Find or dial" });
    field.focus();
    fireEvent.change(field, { target: { value: "berit" } });
    await screen.findByRole("option");
    fireEvent.keyDown(field, { key: "Enter" });
    await waitFor(() => {
      expect(router.state.location.pathname).toBe(`/records/${ids.berit}`);
    });
    field.focus();
    fireEvent.change(field, { target: { value: "berit" } });
    await screen.findByRole("option");
    fireEvent.keyDown(field, { key: "ArrowRight" });
    expect(screen.getByText("Enter calls Berit Osterlund, mobile 413 555 0142")).toBeInTheDocument();
    expect(asked(log, "POST", "/api/calls")).toHaveLength(0);
    fireEvent.keyDown(field, { key: "Enter" });
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls").map((a) => a.body)).toEqual([{ ask_hours: true, number_id: "n1" }]);
    });
  });

  it("dials a typed number together with the record that is open", async () => {
    const log = serve(({ method, path }) => {
      if (path === "/api/find")
        return {
          body: {
            records: [],
            dial: { typed: "907 555 0101", display: "907 555 0101", problem: "" },
            colleagues: [],
            recent: [],
          },
        };
      return method === "POST" && path === "/api/calls" ? { status: 201, body: callOf({ id: "c5" }) } : undefined;
    });
    open(`/records/${ids.berit}`);
    await screen.findByText("Mornings are best.");
    keyDown("/");
    const field = screen.getByRole("combobox", { name: "Find or dial" });
    expect(field).toHaveFocus();
    fireEvent.change(field, { target: { value: "907 555 0101" } });
    await screen.findByText("Call 907 555 0101");
    fireEvent.keyDown(field, { key: "Enter" });
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls").map((a) => a.body)).toEqual([
        { ask_hours: true, typed: "907 555 0101", open_record_id: ids.berit },
      ]);
    });
  });
});

describe("a number from another page", () => {
  it("is filled in, and dialed only by the rep", async () => {
    const log = serve(({ method, path }) => {
      if (path === "/api/find")
        return {
          body: {
            records: [],
            colleagues: [],
            dial: { typed: "tel:+1-907-555-0101", display: "907 555 0101", problem: "" },
            recent: [],
          },
        };
      return method === "POST" && path === "/api/calls" ? { status: 201, body: callOf({ id: "c5" }) } : undefined;
    });
    open("/dial?to=tel:%2B1-907-555-0101");
    expect(await screen.findByTestId("dial-number")).toHaveTextContent("907 555 0101");
    expect(asked(log, "POST", "/api/calls")).toEqual([]);
    fireEvent.click(screen.getByRole("button", { name: /Call 907 555 0101/ }));
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls").map((a) => a.body)).toEqual([
        { ask_hours: true, typed: "tel:+1-907-555-0101" },
      ]);
    });
  });
});
