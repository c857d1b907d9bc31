// Filters as the server understands them: groups of conditions.
export type Condition = { field: string; op: string; value?: string };
export type Group = { all?: Node[]; any?: Node[] };
export type Node = Condition | Group;

export const isGroup = (n: Node): n is Group => "all" in n || "any" in n;

export const partsOf = (g: Group): Node[] => g.all ?? g.any ?? [];

/** groupOf makes a group of parts, joined as before. */
export const groupOf = (parts: Node[], any: boolean): Group => (any ? { any: parts } : { all: parts });

/** readFilter reads what an address or a view brings; what is no filter is none. */
export function readFilter(text: string | undefined): Group {
  if (!text) return { all: [] };
  try {
    const n = JSON.parse(text) as Node;
    if (typeof n !== "object") return { all: [] };
    return isGroup(n) ? n : "field" in n ? { all: [n] } : { all: [] };
  } catch {
    return { all: [] };
  }
}

const needsValue = (op: string) => op !== "empty" && op !== "filled";

/** complete leaves out conditions that somebody has not finished yet. */
export function complete(g: Group): Group {
  const parts = partsOf(g).flatMap((n): Node[] => {
    if (isGroup(n)) {
      const inner = complete(n);
      return partsOf(inner).length > 0 ? [inner] : [];
    }
    return n.field && n.op && (!needsValue(n.op) || n.value?.trim()) ? [n] : [];
  });
  return groupOf(parts, g.any !== undefined);
}

export const countOf = (g: Group): number => partsOf(g).reduce((sum, n) => sum + (isGroup(n) ? countOf(n) : 1), 0);

/** writeFilter writes it for an address; no filter is undefined. */
export function writeFilter(g: Group): string | undefined {
  const whole = complete(g);
  return countOf(whole) > 0 ? JSON.stringify(whole) : undefined;
}

export { needsValue };
