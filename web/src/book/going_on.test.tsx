import { act, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { asked, ids, open, serve, sheet } from "../test_server";
import { dropUnsent } from "../ui/unsent";

afterEach(() => {
  vi.unstubAllGlobals();
  dropUnsent();
});

const other = "00000000-0000-7000-8000-0000000000aa";

describe("going from one record to the next", () => {
  it("leaves what is typed with the record that it was typed for", async () => {
    const log = serve(({ path }) =>
      path === `/api/records/${ids.berit}`
        ? { body: sheet }
        : path === `/api/records/${other}`
          ? { body: { ...sheet, id: other, name: "Signe Nettlecombe" } }
          : undefined,
    );
    const router = open(`/records/${ids.berit}`);
    const goes = (id: string) => act(() => router.navigate({ to: "/records/$id", params: { id } }));
    await screen.findByRole("heading", { name: "Berit Osterlund" });
    await goes(other);
    await screen.findByRole("heading", { name: "Signe Nettlecombe" });
    await goes(ids.berit); // both are known by now: nothing is loaded between them
    await screen.findByRole("heading", { name: "Berit Osterlund" });
    const field = () => screen.getByLabelText("Follow-up: what is to be done");
    fireEvent.change(field(), { target: { value: "Send the drawing" } });
    await goes(other);
    await screen.findByRole("heading", { name: "Signe Nettlecombe" });
    expect(field()).toHaveValue("");
    await goes(ids.berit);
    await screen.findByRole("heading", { name: "Berit Osterlund" });
    expect(field()).toHaveValue("Send the drawing");
    fireEvent.click(screen.getByRole("button", { name: "Add" }));
    await vi.waitFor(() => {
      expect(asked(log, "POST", `/api/records/${ids.berit}/follow-ups`)).toHaveLength(1);
    });
    expect(asked(log, "POST", `/api/records/${other}/follow-ups`)).toHaveLength(0);
  });
});
