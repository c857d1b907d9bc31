import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { asked, ids, open, problem, row, serve, sheet, sheetWith, texts, meWith } from "../test_server";

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

describe("a record", () => {
  const changing = (theirs: Record<string, string>) => {
    let version = 4;
    return serve(({ method, path, body }) => {
      if (path !== `/api/records/${ids.berit}`) return undefined;
      if (method === "GET") return { body: sheetWith(version > 4 ? { ...texts, ...theirs } : texts, version) };
      const change = body as { version: number; values: Record<string, string> };
      if (change.version !== 5) {
        version = 5;
        return problem(409, "stale_version", "somebody else has changed this");
      }
      return { body: sheetWith({ ...texts, ...theirs, ...change.values }, 6) };
    });
  };
  const typeNote = async () => {
    open(`/records/${ids.berit}`);
    await screen.findByText("Mornings are best.");
    fireEvent.click(screen.getByRole("button", { name: "Edit Note" }));
    fireEvent.change(screen.getByRole("textbox", { name: "Note" }), { target: { value: "mine" } });
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
  };

  it("keeps what was typed when somebody else has changed it, and saves upon theirs", async () => {
    const log = changing({ note: "written by a colleague" });
    await typeNote();
    expect(await screen.findByText(/It now says: written by a colleague/)).toBeVisible();
    expect(screen.getByRole("textbox", { name: "Note" })).toHaveValue("mine");
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      expect(screen.queryByRole("textbox", { name: "Note" })).not.toBeInTheDocument();
    });
    expect(screen.getByText("mine")).toBeVisible();
    expect(asked(log, "PATCH", `/api/records/${ids.berit}`).at(-1)?.body).toEqual({
      values: { note: "mine" },
      version: 5,
    });
  });

  it("saves without a question when somebody else has changed another field", async () => {
    const log = changing({ job: "Buyer" });
    await typeNote();
    await waitFor(() => {
      expect(screen.queryByRole("textbox", { name: "Note" })).not.toBeInTheDocument();
    });
    expect(screen.getByText("mine")).toBeVisible();
    expect(screen.getByText("Buyer")).toBeVisible();
    expect(asked(log, "PATCH", `/api/records/${ids.berit}`)).toHaveLength(2);
  });

  it("says who is probably meant while a person is entered", async () => {
    const log = serve(({ path, method }) => {
      if (path === "/api/duplicates/check")
        return { body: [{ record: row, score: 75, reasons: ["the same number", "a similar name"] }] };
      if (path === "/api/records" && method === "POST")
        return problem(422, "invalid", "no telephone number has this many digits", { field: "numbers" });
      return undefined;
    });
    open("/people");
    fireEvent.click(await screen.findByRole("button", { name: /New person/ }));
    const dialog = await screen.findByRole("dialog");
    fireEvent.change(within(dialog).getByLabelText("Number"), { target: { value: "413 555 0142" } });
    expect(await within(dialog).findByTestId("twins")).toHaveTextContent(
      "Berit Osterlund Vesper Hollow Nursery 413 555 0142 · the same number, a similar name",
    );
    fireEvent.click(within(dialog).getByRole("button", { name: "Save anyway" }));
    expect(await within(dialog).findByText("no telephone number has this many digits")).toBeVisible();
    expect(within(dialog).getByLabelText("Number")).toHaveValue("413 555 0142");
    expect(asked(log, "POST", "/api/records").map((a) => a.body)).toEqual([
      { kind: "contact", values: {}, numbers: [{ typed: "413 555 0142", label: "mobile" }] },
    ]);
  });

  it("shows hostile names as text", async () => {
    const name = `<img src=x onerror="alert(1)"> O'Quote`;
    serve(({ path }) => (path === `/api/records/${ids.berit}` ? { body: { ...sheet, name } } : undefined));
    open(`/records/${ids.berit}`);
    expect(await screen.findByRole("heading", { level: 1 })).toHaveTextContent(name);
    expect(document.querySelector("main img")).toBeNull();
  });

  it("says so when it is not there", async () => {
    serve(({ path }) =>
      path === `/api/records/${ids.berit}`
        ? problem(404, "not_found", "this does not exist, or not any more")
        : undefined,
    );
    open(`/records/${ids.berit}`);
    expect(await screen.findByText("This record is not there")).toBeVisible();
    expect(screen.getByText("this does not exist, or not any more")).toBeVisible();
  });
});

describe("lists", () => {
  it("narrow by what is typed, keep it in the address, and say when nobody matches", async () => {
    let gone = false;
    serve(({ path }) => {
      if (!gone) return undefined;
      if (path === "/api/book/rows") return { body: { rows: [], offset: 0 } };
      return path === "/api/book/count" ? { body: { count: 0, more: false } } : undefined;
    });
    const router = open("/people");
    const field = await screen.findByLabelText("Name, company or number");
    fireEvent.change(field, { target: { value: "zz" } });
    await waitFor(() => {
      expect(router.state.location.search).toEqual({ q: "zz" });
    });
    gone = true;
    fireEvent.change(field, { target: { value: "zzz" } });
    expect(await screen.findByText(/Nothing matches/)).toBeVisible();
  });

  it("ask only for filters that are whole, and keep them in the address", async () => {
    const log = serve();
    const router = open("/people");
    fireEvent.click(await screen.findByRole("button", { name: "Filter" }));
    fireEvent.click(screen.getByRole("button", { name: "Add a condition" }));
    const panel = screen.getByTestId("filter");
    fireEvent.change(within(panel).getByLabelText("Field"), { target: { value: "stage" } });
    expect(router.state.location.search).toEqual({});
    fireEvent.change(within(panel).getByLabelText("Value"), { target: { value: "customer" } });
    await waitFor(() => {
      expect(asked(log, "POST", "/api/book/rows").at(-1)?.body).toMatchObject({
        filter: '{"all":[{"field":"stage","op":"is","value":"customer"}]}',
      });
    });
    expect(screen.getByRole("button", { name: "Filter · 1" })).toBeVisible();
    fireEvent.click(within(panel).getByRole("button", { name: "Show all" }));
    await waitFor(() => {
      expect(router.state.location.search).toEqual({});
    });
  });

  it("pick rows, or all that match, and offer to undo what was done with them", async () => {
    const log = serve(({ path }) => {
      if (path === "/api/book/count") return { body: { count: 812, more: false } };
      if (path === "/api/session") return { body: meWith("delete_records") };
      const done = { id: "b1", count: 812, total: 812, state: "done" };
      return path === "/api/bulk" || path === "/api/bulk/b1/undo" ? { body: done } : undefined;
    });
    open("/people");
    fireEvent.click(await screen.findByRole("checkbox", { name: "Select all rows loaded here" }));
    const bar = await screen.findByTestId("bulk");
    expect(bar).toHaveTextContent("1 selected");
    fireEvent.click(within(bar).getByRole("button", { name: "Select all 812 that match" }));
    fireEvent.click(within(bar).getByRole("button", { name: "Delete" }));
    expect(await screen.findByRole("dialog")).toHaveTextContent("Delete 812 records?");
    fireEvent.click(within(screen.getByRole("dialog")).getByRole("button", { name: "Delete" }));
    fireEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => {
      expect(asked(log, "POST", "/api/bulk/b1/undo")).toHaveLength(1);
    });
    expect(asked(log, "POST", "/api/bulk").map((a) => a.body)).toEqual([
      { action: "delete", value: "", selection: { query: { kinds: ["contact", "lead"] } } },
    ]);
  });
});
