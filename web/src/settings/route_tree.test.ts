import { expect, test } from "vitest";

import { addAfter, addUnder, change, type Doc, find, move, newStep, remove } from "./route_tree";

const doc: Doc = {
  languages: ["en"],
  steps: [
    { id: "a", do: "say" },
    {
      id: "m",
      do: "menu",
      options: [
        {
          key: "1",
          steps: [
            { id: "q", do: "queue" },
            { id: "v", do: "voicemail" },
          ],
        },
      ],
      else: [{ id: "e", do: "end" }],
    },
    { id: "w", do: "when", steps: [{ id: "x", do: "owner" }] },
  ],
};
const read = (steps: Doc["steps"]): string =>
  steps
    .map((s) => {
      const under = [
        ...(s.options ?? []).map((o) => `${o.key}:${read(o.steps)}`),
        ...(s.steps ? [read(s.steps)] : []),
        ...(s.else ? [`else:${read(s.else)}`] : []),
      ];
      return under.length > 0 ? `${s.id}(${under.join(" ")})` : s.id;
    })
    .join(",");

test("steps are found, changed and taken out wherever they stand", () => {
  expect(read(doc.steps)).toBe("a,m(1:q,v else:e),w(x)");
  expect(find(doc.steps, "v")?.do).toBe("voicemail");
  expect(find(doc.steps, "nothing")).toBeUndefined();
  expect(
    find(
      change(doc.steps, "x", (s) => ({ ...s, seconds: 9 })),
      "x",
    )?.seconds,
  ).toBe(9);
  expect(read(remove(doc.steps, "q"))).toBe("a,m(1:v else:e),w(x)");
  expect(read(remove(doc.steps, "m"))).toBe("a,w(x)");
});

test("a step is added after another, and beneath a key, a test or else", () => {
  const n = { id: "n", do: "end" as const };
  expect(read(addAfter(doc.steps, "q", n))).toBe("a,m(1:q,n,v else:e),w(x)");
  expect(read(addAfter(doc.steps, "w", n))).toBe("a,m(1:q,v else:e),w(x),n");
  expect(read(addUnder(doc.steps, "m", "1", n))).toBe("a,m(1:n,q,v else:e),w(x)");
  expect(read(addUnder(doc.steps, "m", "else", n))).toBe("a,m(1:q,v else:n,e),w(x)");
  expect(read(addUnder(doc.steps, "w", "", n))).toBe("a,m(1:q,v else:e),w(n,x)");
  expect(read(addUnder(doc.steps, "w", "else", n))).toBe("a,m(1:q,v else:e),w(x else:n)");
});

test("a step moves among those of its block, and not out of it", () => {
  expect(read(move(doc.steps, "v", -1))).toBe("a,m(1:v,q else:e),w(x)");
  expect(read(move(doc.steps, "v", 1))).toBe(read(doc.steps));
  expect(read(move(doc.steps, "a", 1))).toBe("m(1:q,v else:e),a,w(x)");
});

test("a new step has a mark of its own", () => {
  const taken = { ...doc, steps: [...doc.steps, { id: "say-8", do: "say" as const }] };
  expect(newStep(taken, "say").id).not.toBe("say-8");
  expect(find([newStep(doc, "when")], "when-8")?.steps).toEqual([]);
});
