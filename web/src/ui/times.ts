// How times are written: days and hours are the reader's, whose zone is set once they are signed in; another zone is named.
import { t } from "../texts";
import { locale, setRegion } from "./locale";

type Options = Intl.DateTimeFormatOptions;

let zone: string | undefined;
let formats = new Map<string, Intl.DateTimeFormat>();

/** setPlace says in which zone the reader lives, not always the one of this machine, and in which region (ISO 3166) the firm
 * is: days and times are written as there. */
export function setPlace(name: string, region: string) {
  setRegion(region);
  try {
    new Intl.DateTimeFormat(locale, { timeZone: name });
    zone = name;
  } catch {
    zone = undefined; // this machine's, then
  }
  formats = new Map();
}

function write(ms: number, options: Options, timeZone = zone): string {
  const key = JSON.stringify([options, timeZone]);
  let format = formats.get(key);
  if (!format) {
    format = new Intl.DateTimeFormat(
      options.calendar ? "en-GB" : locale,
      timeZone ? { ...options, timeZone } : options,
    );
    formats.set(key, format);
  }
  return format.format(ms);
}

const hour: Options = { hour: "numeric", minute: "2-digit" };
/** figures are for reckoning, not for reading: always written the same way. */
const figures: Options = { calendar: "gregory", year: "numeric", month: "2-digit", day: "2-digit" };

export const clockTime = (iso: string) => write(Date.parse(iso), hour);

/** clockTimeIn writes the time of day in another zone; nothing for a zone that the browser does not know. */
export function clockTimeIn(ms: number, timeZone: string): string {
  try {
    return write(ms, hour, timeZone);
  } catch {
    return "";
  }
}

/** dayNumber counts the reader's days. */
function dayNumber(ms: number): number {
  const [y, m, d] = write(ms, figures).split("/").reverse().map(Number);
  return Date.UTC(y ?? 0, (m ?? 1) - 1, d) / 86_400_000;
}

const near = (iso: string, now: number) =>
  ({ 0: t.history.today, 1: t.history.yesterday, [-1]: t.history.tomorrow })[
    dayNumber(now) - dayNumber(Date.parse(iso))
  ];

/** dayName writes Today, Yesterday, "Tuesday 17 November", with the year where it is another. */
export function dayName(iso: string, now = Date.now()): string {
  const ms = Date.parse(iso);
  const sameYear = write(ms, { year: "numeric" }) === write(now, { year: "numeric" });
  return (
    near(iso, now) ??
    write(ms, { weekday: "long", day: "numeric", month: "long", ...(sameYear ? {} : { year: "numeric" }) })
  );
}

/** dayShort writes Today, Yesterday, "Tue 17 Nov". */
export function dayShort(iso: string, now = Date.now()): string {
  return (
    near(iso, now) ??
    write(Date.parse(iso), { weekday: "short", day: "numeric", month: "short" }).replace(
      ",",
      locale === "en-US" ? "," : "",
    )
  );
}

/** dayBrief writes Today, Yesterday, "Nov 17". */
export const dayBrief = (iso: string, now = Date.now()) =>
  near(iso, now) ?? write(Date.parse(iso), { day: "numeric", month: "short" });

/** shortTime writes the time for today and the date for other days. */
export function shortTime(iso: string, now = Date.now()): string {
  const ms = Date.parse(iso);
  return dayNumber(ms) === dayNumber(now) ? write(ms, hour) : write(ms, { day: "numeric", month: "short" });
}

/** offset is by how much the reader's clock is ahead of UTC at a moment, in milliseconds. */
function offset(ms: number): number {
  const written = write(ms, {
    ...figures,
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
  });
  const [d = 1, m = 1, y = 0, h = 0, min = 0, sec = 0] = written.split(/\D+/).map(Number);
  return Date.UTC(y, m - 1, d, h, min, sec) - Math.floor(ms / 1000) * 1000;
}

/** toInput writes a moment as the browser's fields for days and times want it, on the reader's clock; nothing for no moment. */
export function toInput(iso: string | null, dayOnly = false): string {
  const ms = Date.parse(iso ?? "");
  return Number.isNaN(ms) ? "" : new Date(ms + offset(ms)).toISOString().slice(0, dayOnly ? 10 : 16);
}

/** fromInput reads what such a field says, on the reader's clock; nothing while it is not whole. */
export function fromInput(text: string): string {
  const ms = Date.parse(`${text.length === 10 ? `${text}T00:00` : text}Z`);
  if (Number.isNaN(ms)) return "";
  const guess = ms - offset(ms);
  return new Date(ms - offset(guess)).toISOString();
}

/** longDate writes "November 27, 2026"; without the year where that is not asked for. A date without a time is that day everywhere. */
export function longDate(iso: string, year = true): string {
  const options: Options = { day: "numeric", month: "long", ...(year ? { year: "numeric" } : {}) };
  return iso.length === 10 ? write(Date.parse(`${iso}T12:00Z`), options, "UTC") : write(Date.parse(iso), options);
}
