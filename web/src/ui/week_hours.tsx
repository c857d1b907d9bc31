import { useId } from "react";

import { t } from "../texts";
import { Button } from "./button";
import { Cross } from "./icons";

const w = t.in.week;
const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;
type Day = (typeof days)[number];
type Span = { from: string; to: string };
export type Week = Record<Day, Span[]>;

const usual: Span = { from: "09:00", to: "17:00" };
const none = (): Week => ({ Mon: [], Tue: [], Wed: [], Thu: [], Fri: [], Sat: [], Sun: [] });

/** readWeek reads hours as the API has them, "Mon-Fri 09:00-17:00" a line; undefined where it does not know a line. */
export function readWeek(text: string): Week | undefined {
  const week = none();
  for (const line of text.split("\n").filter((l) => l.trim())) {
    const [, list, from, to] = /^\s*([A-Za-z, -]+?)\s+(\d\d:\d\d)-(\d\d:\d\d)\s*$/.exec(line) ?? [];
    if (!list || !from || !to) return undefined;
    for (const part of list.split(",")) {
      const [first, last] = part.split("-").map((x) => days.indexOf(x.trim() as Day));
      if (first === undefined || first < 0 || (last !== undefined && last < first)) return undefined;
      for (const day of days.slice(first, (last ?? first) + 1)) week[day].push({ from, to });
    }
  }
  return week;
}

/** writeWeek is the other way round; a time until midnight ends at 24:00. */
export const writeWeek = (week: Week) =>
  days.flatMap((d) => week[d].map((s) => `${d} ${s.from}-${s.to === "00:00" ? "24:00" : s.to}`)).join("\n");

type DaySpan = { days: number[]; from: string; to: string };

/** spansOf gives hours as routes have them: days are counted from Sunday, 0. */
export function spansOf(text: string): DaySpan[] {
  const week = readWeek(text) ?? none();
  const spans: DaySpan[] = [];
  days.forEach((day, i) => {
    for (const { from, to } of week[day]) {
      const same = spans.find((x) => x.from === from && x.to === to);
      if (same) same.days.push((i + 1) % 7);
      else spans.push({ days: [(i + 1) % 7], from, to });
    }
  });
  return spans;
}

/** textOf is the other way round. */
export const textOf = (spans: DaySpan[]) =>
  spans
    .flatMap((s) => s.days.map((d) => `${days[(d + 6) % 7] ?? "Mon"} ${s.from}-${s.to}`))
    .sort((a, b) => days.indexOf(a.slice(0, 3) as Day) - days.indexOf(b.slice(0, 3) as Day))
    .join("\n");

/** WeekHours are the hours of a week, a row a day. No hours at all is always open. */
export function WeekHours({
  label,
  value,
  onChange,
  problem,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  problem?: string | undefined;
}) {
  const week = readWeek(value) ?? none();
  const name = useId();
  const always = value.trim() === "";
  const set = (day: Day, spans: Span[]) => {
    onChange(writeWeek({ ...week, [day]: spans }));
  };
  return (
    <fieldset className="min-w-0" aria-invalid={problem ? true : undefined}>
      <legend className="mb-1 text-sm text-quiet">{label}</legend>
      <div className="mb-1 flex gap-4">
        {[true, false].map((all) => (
          <label key={String(all)} className="flex min-h-6 items-center gap-1.5">
            <input
              type="radio"
              name={name}
              checked={always === all}
              onChange={() => {
                const weekday = () => [{ ...usual }];
                onChange(
                  all
                    ? ""
                    : writeWeek({
                        ...none(),
                        Mon: weekday(),
                        Tue: weekday(),
                        Wed: weekday(),
                        Thu: weekday(),
                        Fri: weekday(),
                      }),
                );
              }}
            />
            {all ? w.always : w.set}
          </label>
        ))}
      </div>
      {!always && (
        <ul>
          {days.map((d, i) => (
            <li key={d} className="flex min-h-8 flex-wrap items-center gap-1.5 border-b border-rule py-0.5">
              <span className="w-10 text-quiet">{w.days[i]}</span>
              {week[d].length === 0 && <span className="text-quiet">{w.closed}</span>}
              {week[d].map((s, at) => (
                <span key={at} className="flex items-center gap-1">
                  {(["from", "to"] as const).map((end) => (
                    <input
                      key={end}
                      type="time"
                      required
                      aria-label={end === "from" ? w.opens(w.days[i] ?? d) : w.closes(w.days[i] ?? d)}
                      value={s[end] === "24:00" ? "00:00" : s[end]}
                      onChange={(e) => {
                        if (e.target.value)
                          set(
                            d,
                            week[d].map((x, n) => (n === at ? { ...x, [end]: e.target.value } : x)),
                          );
                      }}
                      className="h-7 rounded-sm border border-edge bg-sheet px-1.5 text-sm"
                    />
                  ))}
                  <button
                    type="button"
                    disabled={days.reduce((n, x) => n + week[x].length, 0) === 1} // without any it would be open always
                    aria-label={w.remove(w.days[i] ?? d)}
                    title={w.remove(w.days[i] ?? d)}
                    className="grid size-6 place-items-center text-quiet hover:text-ending disabled:opacity-40"
                    onClick={() => {
                      set(
                        d,
                        week[d].filter((_, n) => n !== at),
                      );
                    }}
                  >
                    <Cross />
                  </button>
                </span>
              ))}
              <span className="ml-auto flex gap-1">
                {i === 0 && week.Mon.length > 0 && (
                  <Button
                    look="quiet"
                    onClick={() => {
                      const same = () => week.Mon.map((s) => ({ ...s }));
                      onChange(writeWeek({ ...week, Tue: same(), Wed: same(), Thu: same(), Fri: same() }));
                    }}
                  >
                    {w.copy}
                  </Button>
                )}
                <Button
                  look="quiet"
                  aria-label={w.addFor(w.days[i] ?? d)}
                  onClick={() => {
                    set(d, [...week[d], { ...usual }]);
                  }}
                >
                  {w.add}
                </Button>
              </span>
            </li>
          ))}
        </ul>
      )}
      {problem && (
        <p role="alert" className="mt-1 text-sm text-ending">
          {problem}
        </p>
      )}
    </fieldset>
  );
}
