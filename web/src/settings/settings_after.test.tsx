import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { type Asked, asked, open, problem, serve, meWith } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

const outcome = (
  id: string,
  label: string,
  more: Partial<Schemas["OutcomeSetting"]> = {},
): Schemas["OutcomeSetting"] => ({
  id,
  label,
  reached: true,
  needs_notes: false,
  needs_follow_up: false,
  directions: [],
  teams: [],
  call_type_ids: [],
  effects: [],
  active: true,
  ...more,
});

const settings: Schemas["OutcomeSettings"] = {
  outcomes: [
    outcome("o1", "Visit agreed", { used: "40 calls" }),
    outcome("o2", "No answer", { reached: false }),
    outcome("o3", "Wrong number", { active: false }),
  ],
  call_types: [
    { id: "t1", label: "Enquiry", active: true, used: "12 calls" },
    { id: "t2", label: "Service", active: true },
  ],
  holidays: [{ date: "2026-12-25", name: "Christmas Day" }],
  public_holidays: [
    { date: "2026-12-25", name: "Christmas Day" },
    { date: "2026-11-26", name: "Thanksgiving Day" },
  ],
  teams: ["Sales", "Service"],
  deal_stages: ["offer", "won"],
  case_states: ["open", "solved"],
  outcome_needed: true,
  type_needed: false,
};

const templates: Schemas["Template"][] = [
  {
    id: "m1",
    name: "Offer follows",
    channel: "mail",
    subject: "Your offer",
    body: "Good day {given name}",
    active: true,
  },
  { id: "m2", name: "On our way", channel: "text", subject: "", body: "We are on our way.", active: true },
];

/** setting serves the settings of somebody who may set up; what is saved comes back as it was sent. */
function setting(more: (a: Asked) => { status?: number; body?: unknown } | undefined = () => undefined) {
  return serve((a) => {
    const own = more(a);
    if (own) return own;
    if (a.path === "/api/session")
      return { body: meWith("outcomes", "templates", "sequences", "scripts", "connections") };
    if (a.path === "/api/settings/outcomes") return { body: a.method === "PUT" ? a.body : settings };
    if (a.path === "/api/settings/outcomes/preview")
      return { body: { zone: "", items: [{ effect: 0, words: "call", due_at: null, problem: "" }] } };
    if (a.path === "/api/templates")
      return { body: a.method === "PUT" ? (a.body as { templates: unknown }).templates : templates };
    if (a.path === "/api/sequences")
      return { body: a.method === "PUT" ? (a.body as { sequences: unknown }).sequences : [] };
    if (a.path === "/api/webhooks") return { body: { webhooks: [], events: [] } };
    return undefined;
  });
}

const saved = async <T,>(log: Asked[], path: string): Promise<T> => {
  await waitFor(() => {
    expect(asked(log, "PUT", path)).toHaveLength(1);
  });
  return asked(log, "PUT", path)[0]?.body as T;
};

describe("the outcomes of the firm", () => {
  const outcomes = async () => screen.findByRole("region", { name: "Outcomes in their order" });

  it("have the keys of those that are offered, and are moved with them", async () => {
    const log = setting();
    open("/settings?tab=outcomes");
    const list = await outcomes();
    const keys = () =>
      within(list)
        .getAllByRole("listitem")
        .map((x) => x.textContent);
    expect(keys()).toEqual(["1Visit agreed", "2No answer", "Wrong number"]);
    fireEvent.click(within(list).getByRole("button", { name: "Further down: Visit agreed" }));
    expect(keys()).toEqual(["1No answer", "2Visit agreed", "Wrong number"]);
    expect(within(list).getByRole("button", { name: "Further up: No answer" })).toBeDisabled();
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    const sent = await saved<Schemas["OutcomeSettings"]>(log, "/api/settings/outcomes");
    expect(sent.outcomes.map((o) => o.id)).toEqual(["o2", "o1", "o3"]);
    expect(await screen.findByText("Outcomes are saved.")).toBeInTheDocument();
  });

  it("are not taken off without a word where calls have them", async () => {
    setting();
    open("/settings?tab=outcomes");
    const list = await outcomes();
    fireEvent.click(within(list).getByRole("button", { name: "Take off: No answer" }));
    expect(within(list).queryByText("No answer")).not.toBeInTheDocument(); // nobody has used it
    fireEvent.click(within(list).getByRole("button", { name: "Take off: Visit agreed" }));
    expect(await screen.findByText(/is in use \(40 calls\)/)).toBeInTheDocument();
    fireEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(within(list).getByText("Visit agreed")).toBeInTheDocument();
    fireEvent.click(within(list).getByRole("button", { name: "Take off: Visit agreed" }));
    fireEvent.click(await screen.findByRole("button", { name: "Take it off" }));
    await waitFor(() => {
      expect(within(list).queryByText("Visit agreed")).not.toBeInTheDocument();
    });
  });

  it("are offered for some calls only, and for all again when every box is ticked", async () => {
    const log = setting();
    open("/settings?tab=outcomes");
    await outcomes();
    const box = (name: string) => screen.getByRole("checkbox", { name });
    for (const name of ["inbound calls", "team Sales", "Enquiry", "Service"]) expect(box(name)).toBeChecked();
    fireEvent.click(box("inbound calls"));
    fireEvent.click(box("team Service"));
    fireEvent.click(box("Enquiry"));
    fireEvent.click(box("Enquiry"));
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    const sent = await saved<Schemas["OutcomeSettings"]>(log, "/api/settings/outcomes");
    expect(sent.outcomes[0]).toMatchObject({ directions: ["outbound"], teams: ["Sales"], call_type_ids: [] });
  });

  it("do what is set, which is said as it would be now", async () => {
    const log = setting();
    open("/settings?tab=outcomes");
    await outcomes();
    expect(screen.getByText("It is written down, and nothing more.")).toBeInTheDocument();
    fireEvent.click(screen.getByRole("button", { name: "Add an action" }));
    fireEvent.change(screen.getByLabelText("How many"), { target: { value: "3" } });
    fireEvent.change(screen.getByLabelText("Counted in"), { target: { value: "weeks" } });
    fireEvent.change(screen.getByLabelText("At what time there"), { target: { value: "09:30" } });
    fireEvent.click(screen.getByRole("button", { name: "Add an action" }));
    fireEvent.change(screen.getAllByLabelText("What it does")[1] as HTMLElement, { target: { value: "mail" } });
    const which = await screen.findByLabelText("Which template");
    await within(which).findByRole("option", { name: "Offer follows" });
    expect(
      within(which)
        .getAllByRole("option")
        .map((x) => x.textContent),
    ).toEqual(["choose", "Offer follows"]); // no text messages
    fireEvent.change(which, { target: { value: "m1" } });
    expect(await screen.findByTestId("preview")).toHaveTextContent("Files “Visit agreed”; call.");
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    const sent = await saved<Schemas["OutcomeSettings"]>(log, "/api/settings/outcomes");
    expect(sent.outcomes[0]?.effects).toEqual([
      { kind: "follow_up", act: "call", text: "", count: 3, unit: "weeks", at: 570 },
      { kind: "mail", target: "m1" },
    ]);
  });

  it("keep what was written when the server refuses it, and say why", async () => {
    setting((a) =>
      a.method === "PUT"
        ? problem(422, "invalid", "two outcomes are called “No answer”", { field: "outcomes" })
        : undefined,
    );
    open("/settings?tab=outcomes");
    await outcomes();
    fireEvent.change(screen.getByLabelText("Name"), { target: { value: "No answer" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    expect(await screen.findByText("two outcomes are called “No answer”")).toBeInTheDocument();
    expect(screen.getByLabelText("Name")).toHaveValue("No answer");
  });

  it("come with call types, and with the days on which nobody works", async () => {
    const log = setting();
    open("/settings?tab=outcomes");
    await outcomes();
    const types = screen.getByRole("region", { name: "Call types" });
    fireEvent.click(within(types).getAllByRole("checkbox", { name: "offered" })[0] as HTMLElement);
    expect(await screen.findByText(/“Enquiry” is in use \(12 calls\)/)).toBeInTheDocument();
    fireEvent.click(screen.getByRole("button", { name: "Take it off" }));
    const days = screen.getByRole("region", { name: "Holidays" });
    fireEvent.click(within(days).getByRole("button", { name: "Take over 1 public holidays" }));
    expect(within(days).getByLabelText("Day 1")).toHaveValue("2026-11-26"); // in their order
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    const sent = await saved<Schemas["OutcomeSettings"]>(log, "/api/settings/outcomes");
    expect(sent.call_types.map((x) => x.active)).toEqual([false, true]);
    expect(sent.holidays.map((x) => x.name)).toEqual(["Thanksgiving Day", "Christmas Day"]);
  });
});

describe("templates", () => {
  it("have a subject only where they are mails", async () => {
    const log = setting();
    open("/settings?tab=templates");
    const list = await screen.findByRole("list", { name: "Templates" });
    expect(within(list).getAllByLabelText("Subject")).toHaveLength(1);
    fireEvent.click(screen.getByRole("button", { name: "Add a template" }));
    fireEvent.change(screen.getByLabelText("Template 3"), { target: { value: "Thanks" } });
    fireEvent.change(within(list).getAllByLabelText("Text")[2] as HTMLElement, {
      target: { value: "Thank you, {given name}." },
    });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    const sent = await saved<{ templates: Schemas["Template"][] }>(log, "/api/templates");
    expect(sent.templates[2]).toEqual({
      id: null,
      name: "Thanks",
      channel: "text",
      subject: "",
      body: "Thank you, {given name}.",
      active: true,
    });
  });
});

describe("what is being changed", () => {
  it("stays through other pages, and shows what a colleague saved meanwhile", async () => {
    let there = templates;
    const log = serve((a) => {
      if (a.path === "/api/session")
        return { body: meWith("outcomes", "templates", "sequences", "scripts", "connections") };
      if (a.path !== "/api/templates") return undefined;
      if (a.method === "PUT") return { body: (a.body as { templates: unknown }).templates };
      return { body: there };
    });
    open("/settings?tab=templates");
    fireEvent.click(await screen.findByRole("button", { name: "Add a template" }));
    fireEvent.change(screen.getByLabelText("Template 3"), { target: { value: "Thanks" } });
    cleanup();
    there = [{ ...(templates[0] as Schemas["Template"]), name: "Named by a colleague" }, ...templates.slice(1)];
    open("/settings?tab=templates");
    const notice = await screen.findByRole("alert");
    expect(screen.getByLabelText("Template 3")).toHaveValue("Thanks");
    expect(notice).toHaveTextContent("Named by a colleague");
    expect(notice).toHaveTextContent("Thanks");
    fireEvent.click(within(notice).getByRole("button", { name: "Take theirs" }));
    expect(screen.queryByRole("alert")).not.toBeInTheDocument();
    expect(screen.getByLabelText("Template 1")).toHaveValue("Named by a colleague");
    expect(screen.queryByLabelText("Template 3")).not.toBeInTheDocument();
    expect(asked(log, "PUT", "/api/templates")).toEqual([]);
  });
});

describe("sequences", () => {
  it("are made of steps, each with what is done and when", async () => {
    const log = setting();
    open("/settings?tab=sequences");
    fireEvent.click(await screen.findByRole("button", { name: "Add a sequence" }));
    fireEvent.change(screen.getByLabelText("Sequence 1"), { target: { value: "After the show" } });
    for (let i = 0; i < 3; i++) fireEvent.click(screen.getByRole("button", { name: "Add a step" }));
    fireEvent.change(screen.getAllByLabelText("What is done")[1] as HTMLElement, { target: { value: "mail" } });
    const which = await screen.findByLabelText("Which template");
    await within(which).findByRole("option", { name: "Offer follows" });
    fireEvent.change(which, { target: { value: "m1" } });
    fireEvent.click(screen.getByRole("button", { name: "Take step 3 off" }));
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    const sent = await saved<{ sequences: Schemas["Sequence"][] }>(log, "/api/sequences");
    expect(sent.sequences).toEqual([
      {
        id: null,
        name: "After the show",
        active: true,
        steps: [
          { act: "call", count: 2, unit: "business_days", at: 600, text: "" },
          { act: "mail", count: 2, unit: "business_days", at: 600, text: "", template_id: "m1" },
        ],
      },
    ]);
  });
});
