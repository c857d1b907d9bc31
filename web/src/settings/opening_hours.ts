// Opening hours as an admin writes them: a line each, like "Mon-Fri 09:00-17:00".
import type { Schemas } from "../api/client";

type Span = Schemas["OpeningSpan"];

const days = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"];
// A week is written from Monday on.
const week = [1, 2, 3, 4, 5, 6, 0];

const dayOf = (word: string) => days.findIndex((d) => d.toLowerCase() === word.slice(0, 3).toLowerCase());

/** readHours reads what an admin wrote; a line that is no opening time is told. */
export function readHours(text: string): { spans: Span[]; bad: string | undefined } {
  const spans: Span[] = [];
  for (const raw of text.split("\n")) {
    const line = raw.trim();
    if (!line) continue;
    const parts = /^([A-Za-z]+(?:\s*[-–,]\s*[A-Za-z]+)*)\s+(\d{1,2}:\d{2})\s*[-–]\s*(\d{1,2}:\d{2})$/.exec(line);
    const on = parts?.[1] ? readDays(parts[1]) : undefined;
    if (!parts?.[2] || !parts[3] || !on) return { spans, bad: line };
    spans.push({ days: on, from: parts[2].padStart(5, "0"), to: parts[3].padStart(5, "0") });
  }
  return { spans, bad: undefined };
}

function readDays(text: string): number[] | undefined {
  const found: number[] = [];
  for (const part of text.split(",")) {
    const [first, last] = part.split(/[-–]/).map((x) => dayOf(x.trim()));
    if (first === undefined || first < 0 || (last !== undefined && last < 0)) return undefined;
    const from = week.indexOf(first);
    const to = week.indexOf(last ?? first);
    if (to < from) return undefined;
    found.push(...week.slice(from, to + 1));
  }
  return [...new Set(found)];
}

/** writeHours writes spans as an admin would: days that follow each other as a range. */
export function writeHours(spans: Span[]): string {
  return spans.map((s) => `${writeDays(s.days)} ${s.from}-${s.to}`).join("\n");
}

function writeDays(on: number[]): string {
  const places = on.map((d) => week.indexOf(d)).sort((a, b) => a - b);
  const ranges: [number, number][] = [];
  for (const p of places) {
    const last = ranges.at(-1);
    if (last && p === last[1] + 1) last[1] = p;
    else ranges.push([p, p]);
  }
  const name = (p: number) => days[week[p] ?? 0] ?? "";
  return ranges.map(([a, b]) => (a === b ? name(a) : `${name(a)}-${name(b)}`)).join(", ");
}
