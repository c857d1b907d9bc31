// How times are written. Days and hours are the reader's, unless a zone is named.
import { t } from "../messages";

const hour = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });
const day = new Intl.DateTimeFormat("en-GB", { weekday: "long", day: "numeric", month: "long" });
const dayYear = new Intl.DateTimeFormat("en-GB", { weekday: "long", day: "numeric", month: "long", year: "numeric" });
const short = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });

export const clockTime = (iso: string) => hour.format(new Date(iso));

/** clockTimeIn writes the time of day in another zone; nothing for a zone that the browser does not know. */
export function clockTimeIn(ms: number, zone: string): string {
  try {
    return new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: zone }).format(ms);
  } catch {
    return "";
  }
}

const midnight = (d: Date) => new Date(d.getFullYear(), d.getMonth(), d.getDate()).getTime();

/** dayName writes Today, Yesterday, "Tuesday 17 November", with the year where it is another. */
export function dayName(iso: string, now = new Date()): string {
  const d = new Date(iso);
  const days = Math.round((midnight(now) - midnight(d)) / 86_400_000);
  if (days === 0) return t.history.today;
  if (days === 1) return t.history.yesterday;
  return (d.getFullYear() === now.getFullYear() ? day : dayYear).format(d);
}

/** shortTime writes the time for today and the date for other days. */
export function shortTime(iso: string, now = new Date()): string {
  const d = new Date(iso);
  return midnight(d) === midnight(now) ? hour.format(d) : short.format(d);
}
