import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { type Asked, asked, ids, meWith, open, problem, serve } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

/** setting serves the settings of somebody with some rights. */
const setting = (rights: string[], more: (a: Asked) => { status?: number; body?: unknown } | undefined) =>
  serve((a) => more(a) ?? (a.path === "/api/session" ? { body: meWith(...rights) } : undefined));

const put = (log: Asked[]) => log.filter((a) => a.method === "PUT");

const roles: Schemas["Roles"] = {
  roles: [
    { key: "rep", name: "Rep", rights: { lead_rounds: "own" }, shipped: true, fixed: false, members: 2, version: 3 },
    { key: "admin", name: "Admin", rights: {}, shipped: true, fixed: true, members: 1, version: 1 },
  ],
  definitions: [
    { right: "lead_rounds", area: "work", reaches: ["own", "team", "all"] },
    { right: "templates", area: "set_up", reaches: ["all"] },
  ],
};

describe("roles", () => {
  it("are changed right by right, upon the version that was read", async () => {
    const log = setting(["roles"], (a) => {
      if (a.path === "/api/roles") return { body: roles };
      return a.method === "PUT" ? { body: { ...roles.roles[0], version: 4 } } : undefined;
    });
    open("/settings?tab=roles");
    const form = within(await screen.findByTestId("role-form"));
    fireEvent.change(form.getByLabelText("Lead rounds"), { target: { value: "team" } });
    fireEvent.change(form.getByLabelText("Templates"), { target: { value: "all" } });
    fireEvent.click(form.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      expect(put(log)[0]?.body).toEqual({ name: "Rep", rights: { lead_rounds: "team", templates: "all" }, version: 3 });
    });
  });

  it("say what the server does not take, and leave an admin's as they are", async () => {
    setting(["roles"], (a) => {
      if (a.path === "/api/roles") return { body: roles };
      return a.method === "PUT" ? problem(409, "stale_version", "changed") : undefined;
    });
    open("/settings?tab=roles");
    const form = within(await screen.findByTestId("role-form"));
    fireEvent.click(form.getByRole("button", { name: "Save" }));
    expect(await form.findByRole("alert")).toHaveTextContent("Somebody else has changed this role");
    fireEvent.click(screen.getByRole("radio", { name: "Admin · 1" }));
    expect(await screen.findByText(/Admins may do everything/)).toBeInTheDocument();
    expect(screen.getByLabelText("Templates")).toBeDisabled();
  });
});

const used = { minutes: 12, texts: 0, recorded: 3, storage: 1 };
const usage: Schemas["Usage"] = {
  since: "2026-12-01T05:00:00Z",
  until: "2027-01-01T05:00:00Z",
  firm: used,
  reps: [
    { of: ids.ines, name: "Ines Calloway", used },
    { of: "u2", name: "Tomas Reyl", used: { ...used, minutes: 4 } },
  ],
  teams: [],
  lines: [{ of: "l1", name: "Main", used, cost: "5.05 USD" }],
  limits: [
    { what: "minutes", scope: "firm", of: "", amount: 12, hard: true, name: "", used: 12, level: "over" },
    { what: "texts", scope: "line", of: "l1", amount: 100, hard: false, name: "Main", used: 0, level: "under" },
  ],
  prices: { minutes: [{ prefix: "+1", per_minute: "0.015" }], text: "", lines: [] },
  cost: "5.05 USD",
  currency: "USD",
};

describe("use and limits", () => {
  it("show what was used, by whom, and keep limits and prices as they were typed", async () => {
    const log = setting(["see_use"], (a) => {
      if (a.path === "/api/team") return { body: [] };
      return a.path === "/api/use" ? { body: usage } : undefined;
    });
    open("/settings?tab=usage");
    const month = within(await screen.findByTestId("usage"));
    expect(month.getByText("$5.05")).toBeInTheDocument();
    expect(month.getAllByRole("listitem").map((x) => x.textContent)).toEqual(["Ines Calloway12", "Tomas Reyl4"]);
    fireEvent.click(month.getByRole("radio", { name: "Lines" }));
    expect(month.getByText("Main")).toBeInTheDocument();
    const [first, second] = screen.getAllByTestId("limit");
    expect(first).toHaveTextContent("12 of 12 used, used up");
    fireEvent.change(within(first as HTMLElement).getByLabelText("A month"), { target: { value: "500" } });
    fireEvent.click(within(second as HTMLElement).getByRole("button", { name: "Remove" }));
    fireEvent.change(screen.getByLabelText("A text"), { target: { value: "0.05" } });
    fireEvent.change(screen.getByLabelText("Main, a month"), { target: { value: "5" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      expect(put(log)[0]?.body).toEqual({
        limits: [{ what: "minutes", scope: "firm", of: "", amount: 500, hard: true }],
        prices: {
          minutes: [{ prefix: "+1", per_minute: "0.015" }],
          text: "0.05",
          lines: [{ line_id: "l1", month: "5" }],
        },
      });
    });
  });

  it("put what is wrong beside its limit", async () => {
    setting(["see_use"], (a) => {
      if (a.path === "/api/team") return { body: [] };
      if (a.path !== "/api/use") return undefined;
      return a.method === "PUT"
        ? problem(422, "invalid", "say for whom it is", { field: "limits.1" })
        : { body: usage };
    });
    open("/settings?tab=usage");
    await screen.findByTestId("usage");
    fireEvent.change(screen.getByLabelText("A text"), { target: { value: "1" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(await within(screen.getAllByTestId("limit")[1] as HTMLElement).findByRole("alert")).toHaveTextContent(
      "say for whom it is",
    );
  });
});

const absence = (id: string, more: Partial<Schemas["Absence"]>): Schemas["Absence"] => ({
  id,
  user_id: ids.ines,
  name: "Ines Calloway",
  from: "2026-12-24",
  until: "2026-12-24",
  from_noon: true,
  until_noon: false,
  begins_at: "2026-12-24T17:00:00Z",
  ends_at: "2026-12-25T05:00:00Z",
  deputy: "",
  may_change: false,
  ...more,
});

describe("absences", () => {
  it("are added with a deputy, and say why not", async () => {
    let refuse = true;
    const log = setting([], (a) => {
      if (a.path === "/api/team")
        return {
          body: [
            {
              id: "u2",
              name: "Tomas Reyl",
              extension: "",
              team: "",
              availability: "",
              free: true,
              reached: true,
              since: null,
            },
          ],
        };
      if (a.path !== "/api/absences") return undefined;
      if (a.method === "GET") return { body: [absence("a1", {})] };
      if (refuse) return problem(422, "invalid", "they are away then already", { field: "from" });
      return { status: 201, body: [absence("a1", {}), absence("a2", { deputy: "Tomas Reyl", may_change: true })] };
    });
    open("/settings?tab=absences");
    expect(await screen.findByTestId("absence")).toHaveTextContent("December 24, 2026 (from noon) nobody stands in");
    expect(screen.queryByRole("button", { name: "End" })).toBeNull();
    fireEvent.change(screen.getByLabelText("First day"), { target: { value: "2026-12-28" } });
    expect(screen.getByLabelText("Last day")).toHaveValue("2026-12-28");
    const deputy = await screen.findByRole("combobox", { name: "Deputy" });
    fireEvent.click(deputy);
    fireEvent.change(deputy, { target: { value: "reyl" } });
    fireEvent.click(await screen.findByRole("option", { name: /Tomas Reyl/ }));
    expect(deputy).toHaveValue("Tomas Reyl");
    fireEvent.click(screen.getByRole("button", { name: "Add" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("they are away then already");
    refuse = false;
    fireEvent.click(screen.getByRole("button", { name: "Add" }));
    await waitFor(() => {
      expect(screen.getAllByTestId("absence")).toHaveLength(2);
    });
    expect(asked(log, "POST", "/api/absences").at(-1)?.body).toEqual({
      from: "2026-12-28",
      until: "2026-12-28",
      deputy_id: "u2",
    });
  });
});

describe("answer rates", () => {
  it("tell how certain they are, and let a number rest that falls", async () => {
    const line = (id: string, label: string, more: Partial<Schemas["LineHealth"]>): Schemas["LineHealth"] => ({
      line_id: id,
      label,
      made: 12,
      answered: 6,
      percent: 50,
      enough: false,
      falls: false,
      ...more,
    });
    const worn = line("l2", "Worn", {
      made: 200,
      percent: 30,
      enough: true,
      falls: true,
      fair_percent: 31.2,
      low_percent: 24.1,
      high_percent: 39.8,
    });
    const log = setting(["telephony"], (a) => {
      if (a.path === "/api/line-health") return { body: [line("l1", "Main", {}), worn] };
      if (a.method === "PUT")
        return { body: [line("l1", "Main", {}), { ...worn, rests_until: "2026-12-08T12:00:00Z" }] };
      return undefined;
    });
    open("/settings?tab=health");
    const [main, second] = await screen.findAllByTestId("line-health");
    expect(main).toHaveTextContent("50 %, too few calls to say more");
    expect(second).toHaveTextContent("between 24 % and 40 %");
    expect(second).toHaveTextContent("let it rest");
    fireEvent.click(within(second as HTMLElement).getByRole("button", { name: "Rest for a week" }));
    expect(await within(second as HTMLElement).findByRole("button", { name: "Show again" })).toBeInTheDocument();
    expect(put(log)[0]).toMatchObject({ path: "/api/settings/lines/l2/rest", body: { days: 7 } });
  });
});

describe("privacy", () => {
  it("keeps how long things are kept, and releases whom the law holds", async () => {
    const retention = { trail_days: 0, note_days: 0, message_days: 0, call_days: 0, import_days: 30 };
    const all: Schemas["Privacy"] = {
      retention,
      holds: [
        {
          record_id: ids.berit,
          name: "Berit Osterlund",
          reason: "a suit",
          by: "Ada Millrace",
          at: "2026-11-02T12:00:00Z",
        },
      ],
      erasures: [
        {
          id: "e1",
          asked_at: "2026-11-02T12:00:00Z",
          asked_by: "Ada Millrace",
          reason: "asked",
          state: "failed",
          problem: "ask for it again",
          report: [],
        },
      ],
    };
    const log = setting(["privacy"], (a) => {
      if (a.path === "/api/privacy") return { body: all };
      if (a.method === "PUT") return { body: { ...all, retention: a.body } };
      return a.method === "DELETE" ? { status: 204 } : undefined;
    });
    open("/settings?tab=privacy");
    fireEvent.change(await screen.findByLabelText("Notes of filed calls"), { target: { value: "730" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      expect(put(log)[0]?.body).toEqual({ ...retention, note_days: 730 });
    });
    expect(screen.getByTestId("erasure")).toHaveTextContent("ask for it again");
    fireEvent.click(screen.getByRole("button", { name: "Release" }));
    expect(await screen.findByText("Berit Osterlund is released")).toBeInTheDocument();
  });

  it("erases somebody only when asked twice, and not whom the law holds", async () => {
    let held: string | undefined = "a suit (Ada Millrace)";
    const log = setting(["privacy"], (a) => {
      if (a.path === `/api/records/${ids.berit}/erasure`)
        return a.method === "GET"
          ? {
              body: {
                calls: 3,
                messages: 1,
                recordings: 0,
                notes: 2,
                follow_ups: 0,
                in_call: false,
                ...(held ? { held } : {}),
                shared_name: true,
                shared_numbers: 0,
              },
            }
          : {
              status: 202,
              body: { id: "e1", asked_at: "", asked_by: "", reason: "", state: "done", problem: "", report: [] },
            };
      return undefined;
    });
    const menu = async () => {
      open(`/records/${ids.berit}`);
      fireEvent.keyDown(await screen.findByRole("button", { name: "More" }), { key: "Enter" });
      fireEvent.click(await screen.findByRole("menuitem", { name: "Privacy" }));
      return within(await screen.findByTestId("erase"));
    };
    let form = await menu();
    expect(await form.findByText(/They cannot be erased: a suit/)).toBeInTheDocument();
    fireEvent.click(screen.getAllByRole("button", { name: "Close" }).at(-1) as HTMLElement);
    held = undefined;
    fireEvent.keyDown(await screen.findByRole("button", { name: "More" }), { key: "Enter" });
    fireEvent.click(await screen.findByRole("menuitem", { name: "Privacy" }));
    form = within(await screen.findByTestId("erase"));
    expect(await form.findByText("It concerns 3 calls, 2 notes, 1 message.")).toBeInTheDocument();
    expect(form.getByText(/Somebody else has the same name/)).toBeInTheDocument();
    fireEvent.change(form.getByLabelText("Why they are erased"), { target: { value: "asked" } });
    fireEvent.click(form.getByRole("button", { name: "Erase for good" }));
    expect(await form.findByRole("alert")).toHaveTextContent("This cannot be undone");
    expect(asked(log, "POST", `/api/records/${ids.berit}/erasure`)).toHaveLength(0);
    fireEvent.click(form.getByRole("button", { name: "Erase for good" }));
    expect(await screen.findByText("Berit Osterlund is erased")).toBeInTheDocument();
  });
});
