// What an admin does to the outline of a route: steps are found by their id, wherever they stand.
import type { Schemas } from "../api/client";

export type Step = Schemas["RouteStep"];
export type Doc = Schemas["RouteDoc"];

/** inBlocks maps every block of steps of a step: its keys, what holds, and else. */
function inBlocks(s: Step, f: (steps: Step[]) => Step[]): Step {
  const next = { ...s };
  if (s.options) next.options = s.options.map((o) => ({ ...o, steps: f(o.steps) }));
  if (s.steps) next.steps = f(s.steps);
  if (s.else) next.else = f(s.else);
  return next;
}

/** find is the step of an id. */
export function find(steps: Step[], id: string): Step | undefined {
  for (const s of steps) {
    if (s.id === id) return s;
    for (const block of [...(s.options ?? []).map((o) => o.steps), s.steps ?? [], s.else ?? []]) {
      const inner = find(block, id);
      if (inner) return inner;
    }
  }
  return undefined;
}

/** change changes the step of an id. */
export function change(steps: Step[], id: string, how: (s: Step) => Step): Step[] {
  return steps.map((s) => (s.id === id ? how(s) : inBlocks(s, (inner) => change(inner, id, how))));
}

/** remove takes the step of an id out, with all beneath it. */
export function remove(steps: Step[], id: string): Step[] {
  return steps.filter((s) => s.id !== id).map((s) => inBlocks(s, (inner) => remove(inner, id)));
}

/** addAfter puts a step after the one of an id. */
export function addAfter(steps: Step[], id: string, added: Step): Step[] {
  return steps.flatMap((s) => (s.id === id ? [s, added] : [inBlocks(s, (inner) => addAfter(inner, id, added))]));
}

/** addUnder puts a step first beneath one of an id: beneath a key, beneath "else", or where its test holds (""). */
export function addUnder(steps: Step[], id: string, key: string, added: Step): Step[] {
  return change(steps, id, (s) => {
    if (key === "else") return { ...s, else: [added, ...(s.else ?? [])] };
    if (key === "") return { ...s, steps: [added, ...(s.steps ?? [])] };
    return {
      ...s,
      options: (s.options ?? []).map((o) => (o.key === key ? { ...o, steps: [added, ...o.steps] } : o)),
    };
  });
}

/** move moves the step of an id up or down among those of its block. */
export function move(steps: Step[], id: string, by: -1 | 1): Step[] {
  const at = steps.findIndex((s) => s.id === id);
  if (at < 0) return steps.map((s) => inBlocks(s, (inner) => move(inner, id, by)));
  const to = at + by;
  const [here, there] = [steps[at], steps[to]];
  if (!here || !there) return steps;
  return steps.map((s, i) => (i === at ? there : i === to ? here : s));
}

/** ids are all that stand in a route. */
function ids(steps: Step[]): string[] {
  return steps.flatMap((s) => [
    s.id,
    ...(s.options ?? []).flatMap((o) => ids(o.steps)),
    ...ids(s.steps ?? []),
    ...ids(s.else ?? []),
  ]);
}

/** newStep is a step that does something, with a mark that none has yet. */
export function newStep(doc: Doc, does: Step["do"]): Step {
  const taken = new Set(ids(doc.steps));
  let n = taken.size + 1;
  while (taken.has(`${does}-${String(n)}`)) n++;
  const step: Step = { id: `${does}-${String(n)}`, do: does };
  if (does === "say" || does === "menu" || does === "digits") step.texts = {};
  if (does === "menu") step.options = [];
  if (does === "when") return { ...step, test: { is: "open", not: true }, steps: [], else: [] };
  if (does === "ring") step.people = [];
  if (does === "tell") step.what = "hours";
  if (does === "language") step.language = doc.languages[0] ?? "en";
  return step;
}
