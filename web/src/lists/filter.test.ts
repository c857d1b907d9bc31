import { describe, expect, it } from "vitest";

import { complete, countOf, type Group, readFilter, writeFilter } from "./filter";

describe("filters", () => {
  it("are read from an address as far as they are filters", () => {
    const one = { field: "stage", op: "is", value: "customer" };
    expect(readFilter(JSON.stringify(one))).toEqual({ all: [one] });
    expect(readFilter(JSON.stringify({ any: [one] }))).toEqual({ any: [one] });
    for (const nothing of [undefined, "", "{", "[]", "{}", "7", '"x"'])
      expect(readFilter(nothing)).toEqual({ all: [] });
  });

  it("leave out what is not finished", () => {
    const half: Group = {
      any: [
        { field: "stage", op: "is", value: " " },
        { field: "email", op: "empty" },
        { all: [{ field: "", op: "is", value: "x" }] },
        { all: [{ field: "job", op: "contains", value: "grower" }, { all: [] }] },
      ],
    };
    expect(complete(half)).toEqual({
      any: [{ field: "email", op: "empty" }, { all: [{ field: "job", op: "contains", value: "grower" }] }],
    });
    expect(countOf(complete(half))).toBe(2);
    expect(writeFilter({ all: [{ field: "stage", op: "is", value: "" }] })).toBeUndefined();
  });
});
