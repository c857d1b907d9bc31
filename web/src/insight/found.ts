// The calls that were found last, so that one can go from one to the next while listening. They are this window's own.
const storage = "trundo.found";

type Found = { ids: string[]; q: string; count: number };

/** keepFound keeps the calls that are listed, and the question that found them. */
export function keepFound(found: Found) {
  try {
    sessionStorage.setItem(storage, JSON.stringify(found));
  } catch {
    // there is no next call, then
  }
}

/** foundAround tells which calls stand before and after one among those found last; undefined where it is not among them. */
export function foundAround(id: string) {
  try {
    const f = JSON.parse(sessionStorage.getItem(storage) ?? "null") as Found | null;
    const at = f?.ids.indexOf(id) ?? -1;
    if (!f || at < 0) return undefined;
    return { before: f.ids[at - 1], after: f.ids[at + 1], place: at + 1, count: f.count, q: f.q };
  } catch {
    return undefined;
  }
}
