import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { asked, ids, open, problem, serve } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

const berit = { id: ids.berit, kind: "contact" as const, name: "Berit Osterlund" };
const hour = 3_600_000;
const at = (ms: number) => new Date(Date.now() + ms).toISOString();

const entry = (more: Partial<Schemas["DayEntry"]>): Schemas["DayEntry"] => ({
  id: "f1",
  place: "hour",
  late: false,
  kind: "task",
  text: "Send the plan",
  record: berit,
  number: null,
  at: at(hour),
  until: null,
  where: "",
  version: 3,
  ...more,
});

const day = (more: Partial<Schemas["Today"]> = {}): Schemas["Today"] => ({
  plan: [],
  rounds: [],
  unfiled: [],
  left: [],
  figures: { calls: 12, conversations: 4, talk_ms: 754_000 },
  ...more,
});

const serveDay = (today: Schemas["Today"]) =>
  serve(({ method, path }) => {
    if (path === "/api/today") return { body: today };
    if (method === "PATCH") return { body: { id: "f1", version: 4 } };
    return undefined;
  });

describe("today", () => {
  it("shows the day in order, says what kind each is, and settles one with a way back", async () => {
    const log = serveDay(
      day({
        plan: [
          entry({ id: "f0", place: "before", late: true, text: "Offer for two filters", at: at(-30 * hour) }),
          entry({ id: "f2", place: "day", text: "Ask about the pump", kind: "call" }),
          entry({}),
          entry({
            id: "v1",
            kind: "visit",
            record: null,
            text: "Look at the roof",
            where: "the glasshouse",
            until: at(2 * hour),
          }),
        ],
      }),
    );
    open("/");
    const plan = await screen.findByTestId("day");
    const lines = within(plan).getAllByRole("listitem");
    expect(lines.map((l) => /(Offer|Ask|Send|Look)/.exec(l.textContent)?.[0])).toEqual([
      "Offer",
      "Ask",
      "Send",
      "Look",
    ]);
    expect(lines[1]).toHaveTextContent("today");
    expect(lines[2]).toHaveTextContent("Task: Send the plan");
    expect(lines[3]).toHaveTextContent(/Look at the roof · the glasshouse · until/);
    expect(within(lines[3] as HTMLElement).queryByRole("button")).toBeNull(); // a visit is settled on its own page
    fireEvent.click(within(plan).getByRole("button", { name: "Done: Send the plan" }));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => {
      expect(asked(log, "PATCH", "/api/follow-ups/f1").map((a) => a.body)).toEqual([
        { state: "done", version: 3 },
        { state: "open", version: 4 },
      ]);
    });
  });

  it("puts what was done beside what is usual, and says nothing of that while it is not known", async () => {
    serveDay(day({ usual: { calls: 9, conversations: 5, talk_ms: 600_000 } }));
    open("/");
    const figures = await screen.findByTestId("figures");
    expect(figures).toHaveTextContent("12callsusually 9 by now");
    expect(figures).toHaveTextContent("12:34talkingusually 10:00 by now");
    expect(screen.getByText("Nothing is planned for today.")).toBeVisible();
  });

  it("names the rounds one is on, what waits to be filed, and what colleagues left", async () => {
    const owed = {
      id: "s1",
      number: null,
      typed: "Odile Harbinger",
      taken_by: "",
      due_at: null,
      day_only: false,
      text: "Please ring the school back",
      reason: "not filed yet, ended 5 minutes ago",
      late: "",
      tone: "now" as const,
      when: "2:30 PM",
      call_id: "c1",
      version: 1,
    };
    serveDay(
      day({
        rounds: [
          { id: "r1", name: "Spring filters", starter: "Ines", remaining: 53, mine: "paused", why: "", going: [] },
        ],
        unfiled: [{ ...owed, kind: "slip", record: berit }],
        left: [{ ...owed, id: "n1", kind: "note", record: null }],
      }),
    );
    open("/");
    expect(await screen.findByRole("region", { name: "Rounds" })).toHaveTextContent("Spring filters53 left, paused");
    expect(screen.getByRole("region", { name: "Not filed yet" })).toHaveTextContent("Berit Osterlund");
    expect(screen.getByRole("region", { name: "Left for you" })).toHaveTextContent("Please ring the school back");
  });

  it("says so when it cannot be read", async () => {
    serve(({ path }) =>
      path === "/api/today" ? problem(503, "database_away", "the database is unavailable") : undefined,
    );
    open("/");
    expect(await screen.findByText("the database is unavailable")).toBeVisible();
  });
});

describe("settings", () => {
  it("are found by what they are about, and opened with Enter", async () => {
    serve(() => undefined);
    const router = open("/settings");
    const find = await screen.findByRole("searchbox", { name: "Find a setting" });
    fireEvent.change(find, { target: { value: "webhooks" } });
    const nav = screen.getByRole("navigation", { name: "Settings" });
    expect(
      within(nav)
        .getAllByRole("radio")
        .map((x) => x.textContent),
    ).toEqual(["Programs"]);
    fireEvent.keyDown(find, { key: "Enter" });
    await waitFor(() => {
      expect(router.state.location.search).toEqual({ tab: "programs" });
    });
    fireEvent.change(find, { target: { value: "nothing of the kind" } });
    expect(screen.getByText("No setting is called that.")).toBeVisible();
  });
});
