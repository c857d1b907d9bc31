import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { serve } from "../test_server";
import { ChooseColleague } from "./choose_colleague";
import { ColleaguePick } from "./colleague_pick";

afterEach(() => {
  vi.unstubAllGlobals();
});

const colleague = (id: string, name: string, team: string, extension: string) => ({
  id,
  name,
  team,
  extension,
  availability: "Available",
  free: true,
  reached: true,
  since: null,
});

const team = [
  colleague("u1", "Maren Thackeray", "Sales", "22"),
  colleague("u2", "Tomas Reyl", "Service", "31"),
  colleague("u3", "Gunnar Pettibone", "Service", "32"),
];

/** shows a pick of somebody, and gives its field and what was chosen. */
async function shows(value = "") {
  serve((a) => (a.path === "/api/team" ? { body: team } : undefined));
  const chosen: string[] = [];
  function Chooses() {
    const [now, setNow] = useState(value);
    return (
      <ColleaguePick
        label="Owner"
        none="nobody"
        name="Somebody Gone"
        value={now}
        first={(c) => c.team === "Service"}
        onChange={(id) => {
          chosen.push(id);
          setNow(id);
        }}
      />
    );
  }
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <Chooses />
    </QueryClientProvider>,
  );
  const field = screen.getByRole("combobox", { name: "Owner" });
  fireEvent.click(field);
  await screen.findByRole("option", { name: /Maren/ });
  return { field, chosen };
}

const names = () => screen.queryAllByRole("option").map((o) => (o.querySelector(".name") ?? o).textContent);

describe("somebody of the firm", () => {
  it("is found by a part of the name, the team or the extension", async () => {
    const { field } = await shows();
    expect(names()).toEqual(["nobody", "Tomas Reyl", "Gunnar Pettibone", "Maren Thackeray"]);
    for (const [text, found] of [
      ["thack", ["Maren Thackeray"]],
      ["service", ["Tomas Reyl", "Gunnar Pettibone"]],
      ["32", ["Gunnar Pettibone"]],
      ["nowhere", []],
    ] as const) {
      fireEvent.change(field, { target: { value: text } });
      expect(names()).toEqual(found);
    }
    expect(screen.getByText("Nobody of that name.")).toBeInTheDocument();
  });

  it("is chosen by keys alone, and by nothing that passes over", async () => {
    const { field, chosen } = await shows();
    fireEvent.keyDown(field, { key: "ArrowDown" });
    fireEvent.keyDown(field, { key: "ArrowDown" });
    fireEvent.keyDown(field, { key: "Escape" });
    expect(screen.queryByRole("listbox")).toBeNull();
    expect(chosen).toEqual([]);
    fireEvent.keyDown(field, { key: "ArrowDown" });
    fireEvent.change(field, { target: { value: "tom" } });
    fireEvent.keyDown(field, { key: "Enter" });
    expect(chosen).toEqual(["u2"]);
    expect(field).toHaveValue("Tomas Reyl");
  });

  it("is not changed by opening the list and pressing Enter", async () => {
    const { field, chosen } = await shows("u1");
    fireEvent.keyDown(field, { key: "Enter" });
    expect(chosen).toEqual(["u1"]);
    expect(field).toHaveValue("Maren Thackeray");
  });

  it("can be nobody again, and text that was typed and left changes nothing", async () => {
    const { field, chosen } = await shows("u1");
    fireEvent.change(field, { target: { value: "tom" } });
    fireEvent.blur(field);
    expect(chosen).toEqual([]);
    expect(field).toHaveValue("Maren Thackeray");
    fireEvent.click(field);
    fireEvent.click(screen.getByRole("option", { name: "nobody" }));
    expect(chosen).toEqual([""]);
    expect(field).toHaveValue("nobody");
  });

  it("keeps the name of who has left the firm", async () => {
    const { field } = await shows("u9");
    fireEvent.keyDown(field, { key: "Escape" });
    expect(field).toHaveValue("Somebody Gone");
  });

  it("stands beside who has left and what else can be chosen, which are found by their names too", async () => {
    serve((a) => (a.path === "/api/team" ? { body: team } : undefined));
    const chosen: string[] = [];
    render(
      <QueryClientProvider client={new QueryClient()}>
        <ColleaguePick
          label="Who"
          value="u9"
          before={[{ id: "me", name: "me" }]}
          past={[{ id: "u9", name: "Thea Gone" }]}
          onChange={(id) => chosen.push(id)}
        />
      </QueryClientProvider>,
    );
    const field = screen.getByRole("combobox", { name: "Who" });
    expect(field).toHaveValue("Thea Gone");
    fireEvent.click(field);
    await screen.findByRole("option", { name: /Maren/ });
    expect(names()).toEqual(["me", "Maren Thackeray", "Tomas Reyl", "Gunnar Pettibone", "Thea Gone, no longer here"]);
    fireEvent.change(field, { target: { value: "the" } });
    expect(names()).toEqual(["Thea Gone, no longer here"]);
    fireEvent.keyDown(field, { key: "Enter" });
    expect(chosen).toEqual(["u9"]);
  });

  it("is given something in one choice, which closes the question; Esc gives nothing", async () => {
    serve((a) => (a.path === "/api/team" ? { body: team } : undefined));
    const given = vi.fn();
    const closed = vi.fn();
    render(
      <QueryClientProvider client={new QueryClient()}>
        <ChooseColleague title="Give it away" only={(c) => c.id !== "u1"} onChoose={given} onClose={closed} />
      </QueryClientProvider>,
    );
    const field = screen.getByRole("combobox", { name: "Give it away" });
    await screen.findByRole("option", { name: /Tomas/ });
    expect(names()).toEqual(["Tomas Reyl", "Gunnar Pettibone"]);
    fireEvent.keyDown(field, { key: "Escape" });
    expect(closed).toHaveBeenCalledOnce();
    expect(given).not.toHaveBeenCalled();
    fireEvent.keyDown(field, { key: "ArrowDown" });
    fireEvent.keyDown(field, { key: "Enter" });
    expect(given).toHaveBeenCalledWith("u3", "Gunnar Pettibone");
    expect(closed).toHaveBeenCalledTimes(2);
  });
});
