import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import {
  asked,
  callOf,
  FakeSocket,
  ids,
  command,
  keyDown,
  me,
  open,
  problem,
  row,
  serve,
  meWith,
} from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

const berit = { id: ids.berit, kind: "contact" as const, name: "Berit Osterlund" };

const ringOf = (more: Partial<Schemas["Ring"]> = {}): Schemas["Ring"] => ({
  call_id: "c9",
  since: new Date().toISOString(),
  display: "413 555 0142",
  withheld: false,
  internal: false,
  line: "Main",
  source: "Main number",
  company: "Vesper Hollow Nursery",
  candidates: [{ record: berit, reason: "the same number", company: "Vesper Hollow Nursery" }],
  clear: true,
  facts: ["promised: a price, not kept yet"],
  address: "",
  ...more,
});

const noted: Partial<Schemas["Call"]> = {
  id: "c9",
  direction: "inbound",
  links: [{ record: berit, role: "person", reason: "they called" }],
};

describe("a call that rings", () => {
  const rings = (ring: Schemas["Ring"], preferences: Partial<Schemas["Preferences"]> = {}) => {
    let there = true;
    return serve(({ method, path }) => {
      if (path === "/api/session") return { body: { ...me, preferences: { ...me.preferences, ...preferences } } };
      if (path === "/api/rings") return { body: there ? [ring] : [] };
      if (method !== "POST" || !path.startsWith("/api/calls/c9/")) return undefined;
      there = false;
      return path.endsWith("/answer") ? { body: callOf(noted, {}, { phase: "speaking" }) } : { status: 204 };
    });
  };

  it("says who it is and what matters, and is taken with a key; then the record opens", async () => {
    const log = rings(ringOf());
    const router = open("/people");
    const ring = await screen.findByTestId("ring");
    for (const text of ["Berit Osterlund", "413 555 0142", "Vesper Hollow Nursery", "on Main", "not kept yet"]) {
      expect(ring).toHaveTextContent(text);
    }
    keyDown("y");
    expect(await screen.findByTestId("slip")).toHaveTextContent("speaking");
    expect(asked(log, "POST", "/api/calls/c9/answer")).toHaveLength(1);
    await waitFor(() => {
      expect(router.state.location.pathname).toBe(`/records/${ids.berit}`);
    });
  });

  it("rings no more in the window that has taken it, though the server has not said so yet", async () => {
    const mine = callOf(noted, {}, { phase: "speaking" });
    let taken = false;
    serve(({ path }) => {
      if (path === "/api/rings") return { body: [ringOf()] };
      if (path === "/api/desk") return { body: { calls: taken ? [mine] : [] } };
      if (!path.endsWith("/answer")) return undefined;
      taken = true;
      return { body: mine };
    });
    open("/people");
    await screen.findByTestId("ring");
    keyDown("y");
    await screen.findByTestId("slip");
    await waitFor(() => {
      expect(screen.queryByTestId("ring")).not.toBeInTheDocument();
    });
  });

  it("opens nothing for who wants to click, and for who is typing", async () => {
    rings(ringOf(), { opens: "click" });
    const router = open("/people");
    await screen.findByTestId("ring");
    keyDown("y");
    await screen.findByTestId("slip");
    expect(router.state.location.pathname).toBe("/people");
  });

  it("opens the record as it rings for who wants that", async () => {
    rings(ringOf(), { opens: "ring" });
    const router = open("/people");
    await screen.findByTestId("ring");
    await waitFor(() => {
      expect(router.state.location.pathname).toBe(`/records/${ids.berit}`);
    });
  });

  it("opens another program's page where a rep has set one", async () => {
    const opened = vi.fn();
    vi.stubGlobal("open", opened);
    rings(ringOf({ address: "https://books.example/find?number=1" }), { opens: "address" });
    open("/people");
    await screen.findByTestId("ring");
    keyDown("y");
    await screen.findByTestId("slip");
    expect(opened).toHaveBeenCalledWith("https://books.example/find?number=1", "_blank", "noopener");
  });

  it("names all who may be meant, and goes away when it is declined or sent to voicemail", async () => {
    const aron = {
      record: { id: "a", kind: "lead" as const, name: "Aron Pell" },
      reason: "the same number",
      company: "",
    };
    for (const [key, path] of [
      ["x", "/api/calls/c9/decline"],
      ["v", "/api/calls/c9/voicemail"],
    ] as const) {
      const log = rings(ringOf({ clear: false, candidates: [...ringOf().candidates, aron] }));
      open("/people");
      expect(await screen.findByTestId("ring")).toHaveTextContent(
        "Berit Osterlund (Vesper Hollow Nursery) or Aron Pell",
      );
      keyDown(key);
      expect(asked(log, "POST", path)).toHaveLength(0);
      keyDown(key); // a bare key has to come twice
      await waitFor(() => {
        expect(screen.queryByTestId("ring")).not.toBeInTheDocument();
      });
      expect(asked(log, "POST", path)).toHaveLength(1);
      cleanup();
    }
  });

  it("says who was faster", async () => {
    serve(({ path }) => {
      if (path === "/api/rings") return { body: [ringOf()] };
      return path.endsWith("/answer") ? problem(409, "taken", "somebody else has taken this call") : undefined;
    });
    open("/people");
    await screen.findByTestId("ring");
    keyDown("y");
    expect((await screen.findAllByText("somebody else has taken this call"))[0]).toBeInTheDocument();
  });
});

describe("during a call", () => {
  it("sends digits as tones while the keypad is open, and nothing else", async () => {
    const log = serve(({ method, path }) => {
      if (path === "/api/desk") return { body: { calls: [callOf({ id: "c1" }, {}, { phase: "speaking" })] } };
      return method === "POST" || method === "PUT" ? { status: 204 } : undefined;
    });
    open("/people");
    await screen.findByTestId("slip");
    command("m");
    await waitFor(() => {
      expect(asked(log, "PUT", "/api/calls/c1/mute")[0]?.body).toEqual({ on: true });
    });
    command("k");
    const pad = await screen.findByRole("dialog", { name: "Keypad" });
    for (const digit of "1#") fireEvent.keyDown(pad, { key: digit });
    expect(pad).toHaveTextContent("Sent: 1#");
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/keys").map((a) => a.body)).toEqual([
        { digits: "1", hidden: false },
        { digits: "#", hidden: false },
      ]);
    });
    expect(asked(log, "PATCH", "/api/slips/slip-of-c1"), "1 chose no outcome").toEqual([]);
  });

  it("makes an unknown caller a contact of a new company, and warns of who may be meant", async () => {
    const unknown = callOf({ id: "c1", direction: "inbound", links: [] }, { asks_who: true }, { phase: "speaking" });
    const log = serve(({ method, path }) => {
      if (path === "/api/desk") return { body: { calls: [unknown] } };
      if (path === "/api/duplicates/check") return { body: [{ record: row, reasons: ["a similar name"], score: 60 }] };
      return method === "POST" && path.endsWith("/new-record") ? { body: callOf({ id: "c1" }) } : undefined;
    });
    open("/people");
    fireEvent.click(await screen.findByRole("button", { name: "Make a record" }));
    const form = screen.getByTestId("unknown-caller");
    fireEvent.change(within(form).getByLabelText("Name"), { target: { value: "Berit Ostrlund" } });
    fireEvent.change(within(form).getByLabelText(/^Company/), { target: { value: "Marrow & Pike" } });
    expect(await within(form).findByTestId("twins")).toHaveTextContent("It is Berit Osterlund");
    fireEvent.click(within(form).getByRole("button", { name: "Keep anyway" }));
    await waitFor(() => {
      expect(asked(log, "POST", "/api/calls/c1/new-record")[0]?.body).toEqual({
        kind: "contact",
        name: "Berit Ostrlund",
        company_name: "Marrow & Pike",
      });
    });
  });
});

describe("the calls", () => {
  it("are narrowed and searched, the address says so, and the file is of the same", async () => {
    const log = serve();
    const router = open("/calls?whose=team&only=missed");
    expect(await screen.findByText("No call fits this.")).toBeVisible();
    fireEvent.change(screen.getByLabelText("Name or number"), { target: { value: "vesper" } });
    await waitFor(() => {
      expect(asked(log, "GET", "/api/calls").at(-1)?.search).toBe("?whose=team&only=missed&q=vesper&before=");
    });
    expect(router.state.location.search).toEqual({ whose: "team", only: "missed", q: "vesper" });
    expect(screen.getByRole("link", { name: "Save as CSV" })).toHaveAttribute(
      "href",
      "/api/calls.csv?whose=team&only=missed&q=vesper",
    );
  });

  it("that were made elsewhere are written down, and what is wrong stands at its field", async () => {
    let tries = 0;
    const log = serve(({ method, path }) => {
      if (method !== "POST" || path !== "/api/calls/written-down") return undefined;
      return ++tries === 1
        ? problem(422, "invalid", "this is too short for a telephone number", { field: "typed" })
        : { status: 201, body: callOf(noted) };
    });
    open("/calls");
    fireEvent.click(await screen.findByRole("button", { name: "Log a past call" }));
    const dialog = screen.getByRole("dialog");
    fireEvent.change(within(dialog).getByLabelText("Their number"), { target: { value: "41" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "Write it down" }));
    expect(await within(dialog).findByRole("alert")).toHaveTextContent("too short");
    fireEvent.change(within(dialog).getByLabelText("Their number"), { target: { value: "413 555 0142" } });
    fireEvent.change(within(dialog).getByLabelText(/^Minutes/), { target: { value: "2.5" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "Write it down" }));
    await waitFor(() => {
      expect(screen.queryByRole("dialog")).not.toBeInTheDocument();
    });
    expect(asked(log, "POST", "/api/calls/written-down").at(-1)?.body).toMatchObject({
      direction: "outbound",
      typed: "413 555 0142",
      seconds: 150,
    });
  });
});

describe("a list of calls of which more is being read", () => {
  it("is read again from the top when a call has changed, and only then goes on", async () => {
    const waiting: (() => void)[] = [];
    let today = 3;
    const log = serve(({ path, search }) => {
      if (path === "/api/lane") return { body: { owed: [], today, just_now: [], at: new Date().toISOString() } };
      if (path !== "/api/calls") return undefined;
      const body = search.endsWith("before=") ? { calls: [callOf()], next: "p2" } : { calls: [], next: "" };
      return new Promise((answer) => {
        waiting.push(() => {
          answer({ body });
        });
      });
    });
    const pages = () => asked(log, "GET", "/api/calls").map((a) => new URLSearchParams(a.search).get("before"));
    const reads = async (...so: string[]) => {
      await waitFor(() => {
        expect(pages()).toEqual(so);
      });
    };
    open("/calls");
    await reads("");
    waiting[0]?.();
    await reads("", "p2");
    const socket = FakeSocket.all.at(-1);
    socket?.tell({ n: 1, kind: "history", call_id: "c1", records: [] });
    today = 4;
    socket?.tell({ n: 2, kind: "lane" });
    expect(await screen.findByText("4 today")).toBeInTheDocument(); // what followed from the first event has happened
    expect(pages()).toEqual(["", "p2", ""]);
    waiting[2]?.();
    await reads("", "p2", "", "p2");
  });
});

describe("the settings of lines", () => {
  const line: Schemas["FirmLine"] = {
    id: "l1",
    e164: "+14135550110",
    display: "413 555 0110",
    label: "Sales",
    source: "Sales line",
    zone: "America/New_York",
    active: true,
    ring_mode: "all",
    ring_seconds: 25,
    limit_seconds: 60,
    hours: "Mon-Fri 09:00-17:00",
    off: [],
    unanswered: "voicemail",
    closed: "announcement",
    greeting: "",
    closed_text: "",
    recording: "on",
    recording_in: "on",
    reps: [ids.ines],
    open: true,
    version: 3,
  };

  it("keep what was written when the server does not take it, and say where", async () => {
    const log = serve(({ method, path }) => {
      if (path === "/api/session") return { body: meWith("telephony") };
      if (path === "/api/settings/lines") return { body: [line] };
      return method === "PUT" ? problem(422, "invalid", "17:00 is not after 18:00", { field: "hours" }) : undefined;
    });
    open("/settings?tab=lines");
    const opens = await screen.findByLabelText("Mon opens");
    expect(opens).toHaveValue("09:00");
    expect(screen.getByLabelText("Fri closes")).toHaveValue("17:00");
    expect(screen.queryByLabelText("Sat opens")).toBeNull();
    fireEvent.change(opens, { target: { value: "18:00" } });
    fireEvent.change(screen.getByLabelText("A day off"), { target: { value: "2026-12-25" } });
    fireEvent.click(screen.getByRole("button", { name: "Add day" }));
    fireEvent.click(screen.getByRole("button", { name: "Remove Ines Calloway" }));
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("17:00 is not after 18:00");
    expect(opens).toHaveValue("18:00");
    expect(asked(log, "PUT", "/api/settings/lines/l1")[0]?.body).toMatchObject({
      hours: "Mon 18:00-17:00\nTue 09:00-17:00\nWed 09:00-17:00\nThu 09:00-17:00\nFri 09:00-17:00",
      off: ["2026-12-25"],
      reps: [],
      version: 3,
    });
  });
});
