// What is asked about calls, as it stands in an address, and how figures read.
import type { Schemas } from "../api/client";
import { insight as x } from "../texts/insight";
import { duration } from "../ui/clock";

export type Query = Schemas["ReportQuery"];
export type Sought = Schemas["CallsSought"];
export type Condition = Schemas["Condition"];
export type Figure = Schemas["Figure"];

const read = (text: string | undefined): Record<string, unknown> | undefined => {
  try {
    const value: unknown = JSON.parse(text ?? "null");
    return value && typeof value === "object" ? (value as Record<string, unknown>) : undefined;
  } catch {
    return undefined;
  }
};
const texts = (value: unknown) => (Array.isArray(value) ? value.filter((y): y is string => typeof y === "string") : []);

function conditions(value: unknown): Condition[] {
  if (!Array.isArray(value)) return [];
  return value.flatMap((y: unknown) => {
    if (!y || typeof y !== "object") return [];
    const c = y as Record<string, unknown>;
    const values = texts(c["values"]);
    return typeof c["facet"] === "string" && values.length > 0
      ? [{ facet: c["facet"], values, ...(c["not"] === true ? { not: true } : {}) }]
      : [];
  });
}

/** readQuery reads a report from an address; undefined where there is none. What it does not know it leaves out. */
export function readQuery(text: string | undefined): Query | undefined {
  const r = read(text);
  const figures = texts(r?.["figures"]);
  if (!r || figures.length === 0) return undefined;
  const beside = (["before", "usual"] as const).find((y) => y === r["beside"]);
  return {
    figures,
    by: typeof r["by"] === "string" ? r["by"] : "",
    period: typeof r["period"] === "string" ? r["period"] : "30d",
    where: conditions(r["where"]),
    ...(beside ? { beside } : {}),
  };
}

/** readSought reads what calls are sought from an address; those of the last 30 days where nothing is said. */
export function readSought(text: string | undefined): Sought {
  const r = read(text);
  return {
    period: typeof r?.["period"] === "string" ? r["period"] : "30d",
    where: conditions(r?.["where"]),
    ...(typeof r?.["order"] === "string" && r["order"] ? { order: r["order"] } : {}),
  };
}

/** changed puts a condition in the place of that of the same facet and kind, or takes it away where it has no values. */
export function changed(where: Condition[] | undefined, c: Condition): Condition[] {
  const rest = (where ?? []).filter((y) => y.facet !== c.facet || Boolean(y.not) !== Boolean(c.not));
  return c.values.length > 0 ? [...rest, c] : rest;
}

/** behind are the calls that a figure of a report is made of. */
export function behind(q: Query, figure: string, key: string | undefined): Sought {
  let where = changed(q.where, { facet: "behind", values: [figure] });
  if (key !== undefined && q.by)
    where = [...where.filter((y) => y.facet !== q.by || y.not), { facet: q.by, values: [key] }];
  return { period: q.period, where };
}

/** amount writes a figure with its unit. */
export function amount(f: Figure, v: number | undefined): string {
  if (v === undefined) return "–";
  const digits = (least: number) =>
    v.toLocaleString(undefined, { maximumFractionDigits: 1, minimumFractionDigits: least });
  switch (f.unit) {
    case "seconds":
      return duration(v * 1000);
    case "percent":
      return `${digits(1)} %`;
    case "count":
      return digits(0);
    default:
      return digits(1);
  }
}

/** periodText says a time in words. */
export function periodText(period: string): string {
  const [from, until] = period.split("/");
  return x.periods[period] ?? (until ? `${from ?? ""} to ${until}` : period);
}

/** sentence says what a report shows. */
export function sentence(q: Query, figures: Figure[]): string {
  const name = figures.find((f) => f.key === q.figures[0])?.name ?? q.figures[0] ?? "";
  const by = q.by ? ` ${x.report.by} ${x.facets[q.by] ?? q.by}` : "";
  const beside = q.beside && q.beside !== "none" ? `, ${x.report.besides[q.beside]}` : "";
  return `${name}${by}, ${periodText(q.period)}${beside}`;
}
