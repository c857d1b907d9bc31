import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { type Asked, meWith, open, problem, serve } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

const telephony = (more: (a: Asked) => { status?: number; body?: unknown } | undefined) =>
  serve((a) => more(a) ?? (a.path === "/api/session" ? { body: meWith("telephony") } : undefined));

const form: Schemas["WebForm"] = {
  id: "0192f0a0-0000-7000-8000-000000000001",
  name: "Contact page",
  queue_id: "0192f0a0-0000-7000-8000-000000000002",
  title: "Talk to us",
  hello: "",
  calls: true,
  messages: false,
  makes_case: false,
  sites: ["https://www.lindenfall.example"],
  active: true,
  version: 3,
  path: "/form/abc.def",
};

describe("web forms", () => {
  const served = (more: (a: Asked) => { status?: number; body?: unknown } | undefined) =>
    telephony((a) => {
      if (a.path === "/api/settings/queues") return { body: [{ id: form.queue_id, name: "Service", active: true }] };
      return more(a) ?? (a.path === "/api/settings/web-forms" ? { body: [form] } : undefined);
    });

  it("are changed, with the pages that may show them", async () => {
    const log = served((a) => (a.method === "PUT" ? { body: { ...form, version: 4 } } : undefined));
    open("/settings?tab=forms");
    const edit = within(await screen.findByRole("form", { name: "Contact page" }));
    await edit.findByRole("option", { name: "Service" });
    expect(edit.queryByLabelText(/becomes a case/)).not.toBeInTheDocument();
    fireEvent.click(edit.getByLabelText("visitors can write"));
    fireEvent.click(edit.getByLabelText(/becomes a case/));
    fireEvent.change(edit.getByLabelText(/Pages that may show it/), {
      target: { value: "https://a.example, , https://b.example " },
    });
    fireEvent.click(edit.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      expect(log.find((a) => a.method === "PUT" && a.path.startsWith("/api/settings/"))?.body).toEqual({
        ...form,
        messages: true,
        makes_case: true,
        sites: ["https://a.example", "https://b.example"],
      });
    });
  });

  it("say at the field what is wrong, and lose nothing", async () => {
    served((a) =>
      a.method === "PUT"
        ? problem(422, "wrong_field", "there is a form of this name already", { field: "name" })
        : undefined,
    );
    open("/settings?tab=forms");
    const edit = within(await screen.findByRole("form", { name: "Contact page" }));
    await edit.findByRole("option", { name: "Service" });
    fireEvent.change(edit.getByLabelText("Heading"), { target: { value: "Write to us" } });
    fireEvent.click(edit.getByRole("button", { name: "Save" }));
    expect(await edit.findByText("there is a form of this name already")).toBeInTheDocument();
    expect(edit.getByLabelText("Name, for us")).toBeInvalid();
    expect(edit.getByLabelText("Heading")).toHaveValue("Write to us");
  });

  it("give what a page needs to show one, and a new address only after a question", async () => {
    const log = served((a) => (a.method === "POST" ? { body: form } : undefined));
    open("/settings?tab=forms");
    expect(await screen.findByRole("textbox", { name: "Its address" })).toHaveValue(
      `${window.location.origin}/form/abc.def`,
    );
    expect(screen.getByRole<HTMLInputElement>("textbox", { name: "For a page of yours" }).value).toMatch(
      /^<iframe src=".*abc\.def"/,
    );
    fireEvent.click(screen.getByRole("button", { name: "New address" }));
    expect(log.some((a) => a.method === "POST" && a.path.includes("web-forms"))).toBe(false);
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "New address" }));
    await waitFor(() => {
      expect(log.some((a) => a.method === "POST" && a.path.endsWith("/address"))).toBe(true);
    });
  });
});

describe("the survey", () => {
  const survey: Schemas["SurveySettings"] = {
    active: true,
    lines: [],
    share: 100,
    every_days: 30,
    hello: { en: "Please stay." },
    questions: [{ id: "recommend", kind: "score", texts: { en: "How likely?" } }],
    thanks: { en: "Thank you." },
    by_text: false,
    text: "From 0 to 10?",
    text_why: "",
  };

  it("is asked in more languages, and by text", async () => {
    const log = telephony((a) => (a.path === "/api/settings/survey" ? { body: survey } : undefined));
    open("/settings?tab=survey");
    const hello = await screen.findByLabelText("First words");
    expect(hello).toHaveValue("Please stay.");
    fireEvent.change(screen.getByLabelText("Another language for First words"), { target: { value: "fr" } });
    fireEvent.change(screen.getByLabelText("First words, in French"), { target: { value: "Restez." } });
    fireEvent.click(screen.getByLabelText("ask by text message whoever has not answered by keys"));
    fireEvent.change(screen.getByLabelText(/^The message/), { target: { value: "0 to 10, please" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      expect(log.find((a) => a.method === "PUT" && a.path.startsWith("/api/settings/"))?.body).toMatchObject({
        hello: { en: "Please stay.", fr: "Restez." },
        by_text: true,
        text: "0 to 10, please",
      });
    });
  });
});
