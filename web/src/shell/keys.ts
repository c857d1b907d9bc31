// Single keys: which one does what, changed or switched off by the user, and acting only where nobody types.
import { useEffect, useRef, useSyncExternalStore } from "react";

export type Action =
  | "find"
  | "next"
  | "end"
  | "answer"
  | "decline"
  | "voicemail"
  | "hold"
  | "mute"
  | "keypad"
  | "attach"
  | "record"
  | "leave"
  | "notes"
  | "file"
  | "later"
  | "pause"
  | "skip"
  | "other"
  | "undo"
  | "help"
  | "today"
  | "people"
  | "calls"
  | "team"
  | "company"
  | "lists"
  | "add";

const defaults: Record<Action, string> = {
  find: "/",
  next: "c",
  end: "e",
  answer: "y",
  decline: "x",
  voicemail: "v",
  hold: "h",
  mute: "m",
  keypad: "k",
  attach: "b",
  record: "u",
  leave: "d",
  notes: "n",
  file: "f",
  later: "l",
  pause: "0",
  skip: ".",
  other: "+",
  undo: "-",
  help: "?",
  today: "t",
  people: "p",
  calls: "r",
  team: "g",
  company: "o",
  lists: "i",
  add: "a",
};

export const actions = Object.keys(defaults) as Action[];

type Kept = { on: boolean; keys: Partial<Record<Action, string>> };

const storage = "trundo.keys";

function read(): Kept {
  try {
    const kept = JSON.parse(localStorage.getItem(storage) ?? "null") as Kept | null;
    return kept ?? { on: true, keys: {} };
  } catch {
    return { on: true, keys: {} };
  }
}

let kept = read();
const listeners = new Set<() => void>();

function keep(next: Kept) {
  kept = next;
  try {
    localStorage.setItem(storage, JSON.stringify(kept));
  } catch {
    // good for this window, then
  }
  for (const tell of listeners) tell();
}

export const keyOf = (action: Action) => kept.keys[action] ?? defaults[action];
export const setKey = (action: Action, key: string) => {
  keep({ ...kept, keys: { ...kept.keys, [action]: key } });
};
export const resetKeys = () => {
  keep({ on: true, keys: {} });
};
export const switchKeys = (on: boolean) => {
  keep({ ...kept, on });
};

/** useKeys draws again when a key is changed; it tells whether single keys act. */
export function useKeys(): { on: boolean; hint: (action: Action) => string | undefined } {
  const now = useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => kept,
  );
  return { on: now.on, hint: (action) => (now.on ? keyOf(action).toUpperCase() : undefined) };
}

type Handler = () => void;
const handlers = new Map<Action, Handler[]>();
let outcome: ((index: number) => void) | undefined;

/** useKey lets an action's key do something while the component is there. The newest one counts. */
export function useKey(action: Action, handler: Handler | undefined) {
  const latest = useRef(handler);
  useEffect(() => {
    latest.current = handler;
  });
  const there = handler !== undefined;
  useEffect(() => {
    if (!there) return;
    const run = () => latest.current?.();
    handlers.set(action, [...(handlers.get(action) ?? []), run]);
    return () => {
      handlers.set(
        action,
        (handlers.get(action) ?? []).filter((h) => h !== run),
      );
    };
  }, [action, there]);
}

/** Letters for a tenth outcome and further ones: those that no action has. */
const furtherKeys = "qwszj";

/** outcomeKey is the key of the outcome at a place: 1 to 9, then letters that no action has. */
export function outcomeKey(place: number): string | undefined {
  if (place < 9) return String(place + 1);
  return [...furtherKeys].filter((k) => !actions.some((a) => keyOf(a) === k))[place - 9];
}

/** useOutcomeKeys lets the outcomes' keys choose one while a slip lies on the desk. It is told the place. */
export function useOutcomeKeys(handler: (index: number) => void) {
  const latest = useRef(handler);
  useEffect(() => {
    latest.current = handler;
  });
  useEffect(() => {
    const run = (index: number) => {
      latest.current(index);
    };
    outcome = run;
    return () => {
      if (outcome === run) outcome = undefined;
    };
  }, []);
}

const typing = "input, textarea, select, [contenteditable=true], [role=menu], [role=dialog], [role=listbox]";

/** listen is the one listener for single keys; the answer ends it. */
export function listenForKeys(): () => void {
  const onKey = (e: KeyboardEvent) => {
    if (!kept.on || e.ctrlKey || e.metaKey || e.altKey || e.isComposing || e.defaultPrevented || e.repeat) return;
    const target = e.target instanceof Element ? e.target : undefined;
    if (target?.closest(typing) || document.querySelector("[role=dialog]")) return;
    const place = [...Array(9 + furtherKeys.length).keys()].find((i) => outcomeKey(i) === e.key.toLowerCase());
    if (place !== undefined) {
      outcome?.(place);
      return;
    }
    const action = actions.find((a) => keyOf(a) === e.key.toLowerCase());
    const handler = action && handlers.get(action)?.at(-1);
    if (!handler) return;
    e.preventDefault();
    handler();
  };
  const onEscape = (e: KeyboardEvent) => {
    const field = e.target instanceof HTMLElement ? e.target : undefined;
    if (e.key === "Escape" && field?.matches("input, textarea, select")) field.blur();
  };
  window.addEventListener("keydown", onKey);
  window.addEventListener("keydown", onEscape);
  return () => {
    window.removeEventListener("keydown", onKey);
    window.removeEventListener("keydown", onEscape);
  };
}
