// Notes that are not saved yet, kept in this browser: one draft for each slip and window. A window that is still there keeps
// its draft to itself; what a closed one left is taken up by the next that opens the slip.
import { windowId } from "../api/client";

export type Draft = { body: string; base: number; at: number };

const prefix = (slip: string) => `trundo.notes.${slip}.`;
const lockName = (id: string) => `trundo.window.${id}`;
const quiet = 5_000; // without locks: a window that has not touched its draft for so long is no more

/** holdWindow shows the other windows, for as long as this one lives, that it does. */
export function holdWindow() {
  if ("locks" in navigator) void navigator.locks.request(lockName(windowId), () => new Promise(() => undefined));
}

/** withoutLongNumbers hides what may be a card number: what lies in this browser, before the server has looked at it, can be read by whoever sits at it. */
const withoutLongNumbers = (text: string) =>
  text.replace(/(?<![\p{L}\d+])\d(?:[ -]?\d){8,14}(?=[ -]?\d{4}(?![\p{L}\d]))[ -]?/gu, "•••• ");

export function keepDraft(slip: string, draft: Draft) {
  try {
    const kept = { ...draft, body: withoutLongNumbers(draft.body) };
    localStorage.setItem(prefix(slip) + windowId, JSON.stringify(kept));
  } catch {
    // A full or forbidden storage: the server still gets it.
  }
}

export function dropDraft(slip: string, id = windowId) {
  try {
    localStorage.removeItem(prefix(slip) + id);
  } catch {
    // nothing was kept there
  }
}

/** dropDrafts forgets all drafts in this browser, which the next person at it must not read. */
export function dropDrafts() {
  try {
    for (const key of Object.keys(localStorage).filter((k) => k.startsWith("trundo.notes.")))
      localStorage.removeItem(key);
  } catch {
    // nothing was kept there
  }
}

function read(key: string): Draft | undefined {
  try {
    const text = localStorage.getItem(key);
    return text ? (JSON.parse(text) as Draft) : undefined;
  } catch {
    return undefined;
  }
}

/** ownDraft is what this window had before it was reloaded. */
export const ownDraft = (slip: string) => read(prefix(slip) + windowId);

const reload = 1_500; // milliseconds in which a window that is reloaded is there again

const watched = new Set<string>();

/** whenGone calls back once a window is no more, and has not just been reloaded. */
function whenGone(id: string, then: () => void) {
  void navigator.locks
    .request(lockName(id), { mode: "shared" }, () => undefined)
    .then(() => {
      setTimeout(() => {
        void navigator.locks.query().then((l) => {
          if (l.held?.some((x) => x.name === lockName(id))) whenGone(id, then);
          else then();
        });
      }, reload);
    });
}

/** leftDrafts are those of windows that are no more; it calls back for each that goes later. */
export async function leftDrafts(
  slip: string,
  later: () => void,
): Promise<{ id: string; draft: Draft; drop: () => void }[]> {
  let ids: string[];
  try {
    ids = Object.keys(localStorage)
      .filter((key) => key.startsWith(prefix(slip)))
      .map((key) => key.slice(prefix(slip).length))
      .filter((id) => id !== windowId);
  } catch {
    return [];
  }
  if (ids.length === 0) return [];
  const alive = "locks" in navigator ? new Set((await navigator.locks.query()).held?.map((l) => l.name)) : undefined;
  return ids.flatMap((id) => {
    const draft = read(prefix(slip) + id);
    const lives = alive ? alive.has(lockName(id)) : draft && Date.now() - draft.at < quiet;
    if (lives && alive && !watched.has(slip + id)) {
      watched.add(slip + id);
      whenGone(id, () => {
        watched.delete(slip + id);
        later();
      });
    }
    if (!draft || lives) return [];
    return [
      {
        id,
        draft,
        drop: () => {
          dropDraft(slip, id);
        },
      },
    ];
  });
}
