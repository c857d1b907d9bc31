import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Call, Schemas } from "../api/client";
import { type Asked, asked, callOf, ids, keyDown, me, open, problem, serve } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
  sessionStorage.clear();
});

const acting = { ...(me.outcomes[0] as Schemas["Outcome"]), id: "o3", label: "Call again", acts: true };

const item = (effect: number, more: Partial<Schemas["PlanItem"]>): Schemas["PlanItem"] => ({
  effect,
  kind: "follow_up",
  act: "call",
  words: "call",
  text: "",
  due_at: null,
  day_only: false,
  record: ids.berit,
  target: "",
  value: "",
  number: "",
  address: "",
  problem: "",
  struck: false,
  ...more,
});

const due = "2026-12-02T15:00:00Z";
const plan: Schemas["FilingPlan"] = {
  zone: "America/Chicago",
  items: [
    item(0, { due_at: due, text: "About the tank" }),
    item(1, { kind: "add_tag", words: "tag spring", value: "spring" }),
    item(2, { kind: "message", words: "text message Thanks", problem: "they wrote STOP" }),
  ],
};

const ended = (slip: Partial<Call["slip"]> = {}) =>
  callOf(
    {},
    { outcome_id: "o3", outcome: "Call again", ...slip },
    { phase: "ended", ended_at: new Date().toISOString() },
  );

type Answer = { status?: number; body?: unknown };

/** writingUp serves one call that is over and has to be filed. */
function writingUp(more: (a: Asked) => Answer | undefined = () => undefined, call = ended()) {
  let calls = [call];
  return serve((a) => {
    const own = more(a);
    if (own) return own;
    if (a.path === "/api/session") return { body: { ...me, outcomes: [...me.outcomes, acting] } };
    if (a.path === "/api/desk") return { body: { calls } };
    if (a.path === `/api/slips/${call.slip.id}/plan`) return { body: plan };
    if (a.path === `/api/slips/${call.slip.id}/file`) {
      calls = [];
      return { body: { ...call, slip: { ...call.slip, state: "filed", filed_at: new Date().toISOString() } } };
    }
    return undefined;
  });
}

const fileOf = (log: Asked[]) => asked(log, "POST", "/api/slips/slip-of-c1/file");

describe("what filing does", () => {
  it("stands on the slip, each part with when, here and there, and with what is in its way", async () => {
    writingUp();
    open("/");
    const items = await screen.findByTestId("plan");
    expect(within(items).getAllByRole("listitem")).toHaveLength(3);
    expect(items).toHaveTextContent(/call .*9:00 .*there.*: About the tank/i);
    expect(items).toHaveTextContent("text message Thanks: they wrote STOP");
    expect(within(items).queryByRole("button", { name: "Leave out: text message Thanks" })).not.toBeInTheDocument();
  });

  it("is filed as it was shown, with what was edited and struck out", async () => {
    const log = writingUp();
    open("/");
    const items = await screen.findByTestId("plan");
    fireEvent.click(within(items).getByRole("button", { name: "Leave out: tag spring" }));
    expect(await within(items).findByRole("button", { name: "Do it after all: tag spring" })).toHaveAttribute(
      "aria-pressed",
      "true",
    );
    fireEvent.click(within(items).getByRole("button", { name: /About the tank/ }));
    fireEvent.change(await screen.findByLabelText("What is to be done"), { target: { value: "About the pump" } });
    fireEvent.change(screen.getByLabelText("When (your time)"), { target: { value: "2026-12-03T11:30" } });
    fireEvent.click(screen.getByRole("button", { name: "Done" }));
    fireEvent.click(screen.getByRole("button", { name: /^File/ }));
    await waitFor(() => {
      expect(fileOf(log)).toHaveLength(1);
    });
    const sent = (fileOf(log)[0]?.body as { items: Schemas["PlanItem"][] }).items;
    expect(sent.map((x) => [x.effect, x.struck, x.text])).toEqual([
      [0, false, "About the pump"],
      [1, true, ""],
      [2, false, ""],
    ]);
    expect(sent[0]?.due_at).toBe("2026-12-03T16:30:00.000Z"); // half past eleven where Ines is
    expect(await screen.findByText("Filed: Berit Osterlund; call.")).toBeInTheDocument();
  });

  it("is looked at again when it has changed meanwhile, and nothing is filed", async () => {
    let refuse = true;
    const log = writingUp((a) => {
      if (a.path.endsWith("/file") && refuse) {
        refuse = false;
        return problem(409, "plan_changed", "what filing does has changed: look at it again");
      }
      return undefined;
    });
    open("/");
    await screen.findByTestId("plan");
    const looks = asked(log, "GET", "/api/slips/slip-of-c1/plan").length;
    fireEvent.click(screen.getByRole("button", { name: /^File/ }));
    expect(await screen.findByText(/has changed: look at it again/)).toBeInTheDocument();
    expect(screen.getByTestId("slip")).toBeInTheDocument();
    await waitFor(() => {
      expect(asked(log, "GET", "/api/slips/slip-of-c1/plan").length).toBe(looks + 1);
    });
    fireEvent.click(screen.getByRole("button", { name: /^File/ }));
    await waitFor(() => {
      expect(screen.queryByTestId("slip")).not.toBeInTheDocument();
    });
  });

  it("is filed though the database is away for a moment", async () => {
    let away = 2;
    const log = writingUp((a) =>
      a.method === "POST" && a.path.endsWith("/file") && away-- > 0
        ? problem(503, "database_away", "not saved yet")
        : undefined,
    );
    open("/");
    await screen.findByTestId("plan");
    fireEvent.click(screen.getByRole("button", { name: /^File/ }));
    await waitFor(
      () => {
        expect(fileOf(log)).toHaveLength(3);
      },
      { timeout: 4_000 },
    );
    expect(screen.queryByText("not saved yet")).toBeNull();
  });

  it("can be undone, and says what stays", async () => {
    const filing: Schemas["Filing"] = {
      id: "f1",
      slip_id: "slip-of-c1",
      at: due,
      undo_until: due,
      undone: true,
      effects: [
        { words: "call", due_at: due, day_only: false, state: "undone", why: "" },
        { words: "mail Offer", due_at: null, day_only: false, state: "stays", why: "it has gone out" },
      ],
    };
    const log = writingUp((a) => (a.path === "/api/slips/slip-of-c1/undo" ? { body: filing } : undefined));
    open("/");
    await screen.findByTestId("plan");
    fireEvent.click(screen.getByRole("button", { name: /^File/ }));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    expect(await screen.findByText("Could not be taken back: mail Offer (it has gone out)")).toBeInTheDocument();
    expect(asked(log, "POST", "/api/slips/slip-of-c1/undo")).toHaveLength(1);
  });

  it("is chosen by key, and a second press takes the outcome off again", async () => {
    let call = ended({ outcome_id: null, outcome: "" });
    const log = serve((a) => {
      if (a.path === "/api/session") return { body: { ...me, outcomes: [...me.outcomes, acting] } };
      if (a.path === "/api/desk") return { body: { calls: [call] } };
      if (a.path.endsWith("/plan")) return { body: plan };
      if (a.method === "PATCH") {
        const change = a.body as Schemas["SlipChange"];
        call = ended({ outcome_id: change.outcome_id ?? null, version: call.slip.version + 1 });
        return { body: call };
      }
      return undefined;
    });
    open("/");
    await screen.findByTestId("slip");
    expect(screen.queryByTestId("plan")).not.toBeInTheDocument();
    keyDown("3");
    expect(await screen.findByTestId("plan")).toBeInTheDocument();
    keyDown("3");
    await waitFor(() => {
      expect(screen.queryByTestId("plan")).not.toBeInTheDocument();
    });
    expect(asked(log, "PATCH", "/api/slips/slip-of-c1").map((a) => a.body)).toEqual([
      { outcome_id: "o3", version: 1 },
      { clear: ["outcome_id"], version: 2 },
    ]);
  });

  it("needs an outcome where the firm says so, and says that", async () => {
    const log = writingUp(
      (a) => (a.path.endsWith("/file") ? problem(422, "outcome_needed", "choose how the call went first") : undefined),
      ended({ outcome_id: null, outcome: "" }),
    );
    open("/");
    const file = await screen.findByRole("button", { name: /^File/ });
    expect(file).toHaveAttribute("aria-disabled", "true");
    fireEvent.click(file);
    expect(await screen.findByText("choose how the call went first")).toBeInTheDocument();
    expect(fileOf(log)).toHaveLength(1);
  });
});

describe("a follow-up that the notes name", () => {
  const found = {
    addresses: [],
    found: true,
    kind: "call",
    text: "Call back",
    when: "Thu 15:00",
    due_at: due,
    day_only: false,
  };
  const noted = ended({ notes: { body: "call back thu 3pm", version: 1, saved: true, saved_at: due } });
  const answer = (a: Asked) => {
    if (a.path.endsWith("/follow-up-proposal")) return { body: found };
    if (a.path.endsWith("/follow-ups")) return { body: { id: "fu1" } };
    return undefined;
  };

  it("is made only when it is taken", async () => {
    const log = writingUp(answer, noted);
    open("/");
    const offer = await screen.findByTestId("proposal");
    expect(offer).toHaveTextContent("Call backThu 15:00");
    const made = () => asked(log, "POST", `/api/records/${ids.berit}/follow-ups`);
    expect(made()).toHaveLength(0);
    fireEvent.click(within(offer).getAllByRole("button")[0] as HTMLElement);
    await waitFor(() => {
      expect(made()).toHaveLength(1);
    });
    expect(made()[0]?.body).toEqual({ text: "Call back", kind: "call", day_only: false, due_at: due });
    await waitFor(() => {
      expect(screen.queryByTestId("proposal")).not.toBeInTheDocument();
    });
  });

  it("goes away when it is left", async () => {
    const log = writingUp(answer, noted);
    open("/");
    const offer = await screen.findByTestId("proposal");
    fireEvent.click(within(offer).getAllByRole("button")[1] as HTMLElement);
    expect(screen.queryByTestId("proposal")).not.toBeInTheDocument();
    expect(asked(log, "POST", `/api/records/${ids.berit}/follow-ups`)).toHaveLength(0);
  });
});

describe("a message to somebody", () => {
  const template: Schemas["Template"] = {
    id: "m1",
    name: "Offer follows",
    channel: "mail",
    subject: "Your offer",
    body: "Good day {given name}",
    active: true,
  };
  const draftOf = (asks: Schemas["NewMessage"]): Schemas["MessageDraft"] =>
    ({
      channel: asks.channel,
      to: asks.channel === "mail" ? "berit@vesper.example" : "413 555 0142",
      address: "",
      from: asks.channel === "mail" ? "ines@lindenfall.example" : "Sales 413 555 0110",
      subject: asks.template_id ? "Your offer" : (asks.subject ?? ""),
      body: asks.template_id ? "Good day Berit" : (asks.body ?? ""),
      parts: 1,
      left: 160 - (asks.body ?? "").length,
      problem: "",
      send_at: null,
      ...(asks.body?.includes("4111") && !asks.insist
        ? { masked: [{ text: "4111 1111 1111 1111", mask: "•••• 1111" }] }
        : {}),
    }) as Schemas["MessageDraft"];
  const thread: Schemas["Thread"] = {
    address: "+14135550142",
    display: "413 555 0142",
    record: { id: ids.berit, kind: "contact", name: "Berit Osterlund" },
    opted_out: "",
    messages: [
      {
        id: "x1",
        channel: "text",
        incoming: true,
        record: { id: ids.berit, kind: "contact", name: "Berit Osterlund" },
        address: "+14135550142",
        display: "413 555 0142",
        ours: "Sales",
        by: "",
        subject: "",
        body: "When will the offer come?",
        state: "received",
        at: due,
        send_at: null,
        problem: "",
        read: false,
        files: [],
      },
    ],
  };
  const sent = { ...(thread.messages[0] as Schemas["Message"]), id: "x2", incoming: false, state: "waiting" as const };
  const writing = (more: (a: Asked) => Answer | undefined = () => undefined) =>
    serve((a) => {
      const own = more(a);
      if (own) return own;
      if (a.path === "/api/templates") return { body: [template] };
      if (a.path === "/api/messages/draft") return { body: draftOf(a.body as Schemas["NewMessage"]) };
      if (a.path === "/api/messages" && a.method === "GET") return { body: thread };
      if (a.path === "/api/messages") return { body: sent };
      if (a.path === "/api/messages/x2/cancel") return { body: { ...sent, state: "cancelled" } };
      return undefined;
    });
  const posted = (log: Asked[]) => asked(log, "POST", "/api/messages").map((a) => a.body);

  it("answers by the way of the last one, says its parts, and can be stopped while it waits", async () => {
    const log = writing();
    open("/messages?address=%2B14135550142");
    expect(await screen.findByText("When will the offer come?")).toBeInTheDocument();
    const text = await screen.findByLabelText("Text");
    fireEvent.change(text, { target: { value: "Tomorrow." } });
    expect(await screen.findByText("151 characters left")).toBeInTheDocument();
    expect(screen.getByTestId("draft")).toHaveTextContent("From Sales 413 555 0110 to 413 555 0142");
    fireEvent.keyDown(text, { key: "Enter", ctrlKey: true });
    expect(await screen.findByText("Goes to 413 555 0142 in five seconds.")).toBeInTheDocument();
    expect(posted(log)).toEqual([
      { channel: "text", body: "Tomorrow.", record_id: ids.berit, address: "+14135550142" },
    ]);
    fireEvent.click(screen.getByRole("button", { name: "Undo" }));
    expect(await screen.findByText("It is not sent.")).toBeInTheDocument();
  });

  it("begins a mail with a template, filled in, and does not send it without a subject", async () => {
    const log = writing();
    open("/messages?address=%2B14135550142");
    fireEvent.click(await screen.findByRole("radio", { name: "Mail" }));
    fireEvent.change(await screen.findByLabelText("Begin with a template"), { target: { value: "m1" } });
    await waitFor(() => {
      expect(screen.getByRole("textbox", { name: "Mail" })).toHaveValue("Good day Berit");
    });
    fireEvent.change(screen.getByLabelText("Subject"), { target: { value: "" } });
    fireEvent.click(screen.getByRole("button", { name: "Send" }));
    expect(posted(log)).toEqual([]);
    fireEvent.change(screen.getByLabelText("Subject"), { target: { value: "The offer" } });
    fireEvent.click(screen.getByRole("button", { name: "Send" }));
    await waitFor(() => {
      expect(posted(log)).toEqual([
        { channel: "mail", subject: "The offer", body: "Good day Berit", record_id: ids.berit },
      ]);
    });
  });

  it("keeps the text where the server refuses it, and says why", async () => {
    writing((a) =>
      a.path === "/api/messages" && a.method === "POST" ? problem(422, "invalid", "they wrote STOP") : undefined,
    );
    open("/messages?address=%2B14135550142");
    const text = await screen.findByLabelText("Text");
    fireEvent.change(text, { target: { value: "Tomorrow." } });
    fireEvent.click(screen.getByRole("button", { name: "Send" }));
    expect(await screen.findByText("they wrote STOP")).toBeInTheDocument();
    expect(text).toHaveValue("Tomorrow.");
  });

  it("hides a card number unless one insists", async () => {
    const log = writing();
    open("/messages?address=%2B14135550142");
    fireEvent.change(await screen.findByLabelText("Text"), { target: { value: "4111 1111 1111 1111" } });
    expect(await screen.findByText(/looks like a card number/)).toBeInTheDocument();
    fireEvent.click(screen.getByLabelText("send it as typed"));
    fireEvent.click(screen.getByRole("button", { name: "Send" }));
    await waitFor(() => {
      expect(posted(log)).toHaveLength(1);
    });
    expect(posted(log)[0]).toMatchObject({ insist: true });
  });

  it("puts the messages of somebody unknown on a record", async () => {
    const stranger = { ...thread, record: null, messages: [{ ...thread.messages[0], record: null }] };
    const log = writing((a) => {
      if (a.path === "/api/messages" && a.method === "GET") return { body: stranger };
      if (a.path === "/api/messages/x1/record") return { body: thread.messages[0] };
      return undefined;
    });
    open("/messages?address=%2B14135550142");
    expect(await screen.findByText("Nobody in the book is known to write from here.")).toBeInTheDocument();
    const whose = screen.getByRole("combobox", { name: "Put these messages on" });

    fireEvent.change(whose, { target: { value: "Berit" } });
    await screen.findByRole("option", { name: /Berit Osterlund/ });
    fireEvent.keyDown(whose, { key: "Enter" });
    expect(await screen.findByText("They are on Berit Osterlund now.")).toBeInTheDocument();
    expect(asked(log, "POST", "/api/messages/x1/record")[0]?.body).toEqual({ record_id: ids.berit });
  });
});
