// Keys: which one does what, changed or switched off by the user. What a key means depends on the slip that lies on the desk
// (meaningOf): while somebody is on the telephone, letters are notes, and a command takes the command key first.
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
  | "add"
  | "ask"
  | "join"
  | "handOver"
  | "take"
  | "command";

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
  ask: "w",
  join: "j",
  handOver: "s",
  take: "z",
  command: "F2",
};

export const actions = Object.keys(defaults) as Action[];

/** Acts that no key undoes: a bare one has to come twice. */
const final: ReadonlySet<Action> = new Set(["end", "leave", "decline", "voicemail", "handOver"]);

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
let table: Table | undefined; // made when it is asked for, and kept until keys change

function keep(next: Kept) {
  kept = next;
  table = undefined;
  try {
    localStorage.setItem(storage, JSON.stringify(kept));
  } catch {
    // good for this window, then
  }
  changed();
}

export const keyOf = (action: Action) => kept.keys[action] ?? defaults[action];
/** Table is what keys do: acts by key, where two have the same the first of them; the keys of outcomes by place, and back. */
type Table = { acts: Map<string, Action>; outcomes: string[]; places: Map<string, number> };

function keyTable(): Table {
  if (!table) {
    const acts = new Map(actions.map((a) => [keyOf(a), a] as const).reverse());
    const outcomes = [..."123456789", ...[...furtherKeys].filter((k) => !acts.has(k))];
    table = { acts, outcomes, places: new Map(outcomes.map((k, place) => [k, place])) };
  }
  return table;
}
export const setKey = (action: Action, key: string) => {
  keep({ ...kept, keys: { ...kept.keys, [action]: key } });
};
export const resetKeys = () => {
  keep({ on: true, keys: {} });
};
export const switchKeys = (on: boolean) => {
  keep({ ...kept, on });
};

/** Desk is what lies on the desk, as far as keys care: no slip, one whose call is being placed, spoken in, or over. */
export type Desk = "none" | "ringing" | "speaking" | "ended";

/** Meaning is what a key does now. */
export type Meaning =
  | { kind: "nothing" }
  | { kind: "notes" }
  | { kind: "outcome"; place: number }
  | { kind: "action"; action: Action; twice: boolean };

const nothing: Meaning = { kind: "nothing" };
const notes: Meaning = { kind: "notes" };

/** meaningOf says what a key means that is pressed while no field has the focus; commanded: the command key came before it. */
export function meaningOf(key: string, desk: Desk, commanded: boolean): Meaning {
  if ([...key].length !== 1) return nothing;
  const low = key.toLowerCase();
  const place = keyTable().places.get(low);
  const action = keyTable().acts.get(low);
  const act: Meaning = action ? { kind: "action", action, twice: !commanded && final.has(action) } : nothing;
  if (commanded) return place === undefined ? act : { kind: "outcome", place };
  if (desk === "none") return place === undefined ? act : nothing;
  if (desk === "speaking") return key === " " ? nothing : notes;
  if (/^[1-9]$/.test(key)) return { kind: "outcome", place: Number(key) - 1 };
  if (desk === "ended" && place !== undefined) return { kind: "outcome", place };
  if (desk === "ended" && action === "file") return act;
  if (/\p{L}/u.test(key)) return notes;
  return act === nothing && key !== " " ? notes : act;
}

type Handler = () => void;
const handlers = new Map<Action, Handler[]>();
let outcome: ((place: number) => boolean) | undefined;

/** The slip that lies on the desk, and how something is typed into its notes. */
type SlipOnDesk = { id: string; desk: Desk; type: (text: string) => void };
let slip: SlipOnDesk | undefined;

/** What waits for a second key: an act that is to be confirmed, or whatever the command key is to be followed by. */
export type Armed = Action | undefined;
let armed: Armed;
let disarm: ReturnType<typeof setTimeout> | undefined;
const armedFor = 4_000; // milliseconds

function arm(next: Armed) {
  clearTimeout(disarm);
  if (armed === next && next === undefined) return;
  armed = next;
  if (next !== undefined) {
    disarm = setTimeout(() => {
      arm(undefined);
    }, armedFor);
  }
  changed();
}

let version = 0;
const listeners = new Set<() => void>();
function changed() {
  version++;
  for (const tell of listeners) tell();
}
const subscribe = (tell: () => void) => {
  listeners.add(tell);
  return () => listeners.delete(tell);
};

/** useArmed tells which act waits for a second press. */
export function useArmed(): Armed {
  useSyncExternalStore(subscribe, () => version);
  return armed;
}

/** useKeys draws again when a key, or what it means, has changed; it tells whether single keys act, and how an act is reached now: letter is the last key
 * alone, for where it stands once that the command key comes before it. */
export function useKeys(): {
  on: boolean;
  hint: (action: Action) => string | undefined;
  letter: (action: Action) => string | undefined;
  command: string;
  act: (action: Action) => void;
} {
  useSyncExternalStore(subscribe, () => version);
  const desk = slip?.desk ?? "none";
  const command = keyOf("command");
  return {
    on: kept.on,
    command,
    act: (action) => handlers.get(action)?.at(-1)?.(),
    letter: (action) => (kept.on ? keyOf(action).toUpperCase() : undefined),
    hint: (action) => {
      if (!kept.on) return undefined;
      const key = keyOf(action).toUpperCase();
      const bare = meaningOf(keyOf(action), desk, false);
      if (bare.kind !== "action") return `${command} ${key}`;
      return bare.twice ? `${key} ${key}` : key;
    },
  };
}

/** useSlipKeys says what slip lies on the desk while the component is there: letters typed without a field go into its notes. */
export function useSlipKeys(id: string, desk: Desk, type: (text: string) => void) {
  const latest = useRef(type);
  useEffect(() => {
    latest.current = type;
  });
  useEffect(() => {
    const mine: SlipOnDesk = {
      id,
      desk,
      type: (text) => {
        latest.current(text);
      },
    };
    slip = mine;
    changed();
    replaying = setTimeout(replay); // when its parts have said what their keys do
    return () => {
      if (slip === mine) {
        slip = undefined;
        changed();
      }
    };
  }, [id, desk]);
}

/** What keys wait for: what lies on the desk is not known yet, or a call is just being placed or taken. */
const waiting = new Set<symbol>();
let typedAhead: string[] = [];

const longestHold = 20_000; // milliseconds, for an answer that never comes

/** holdKeys lets keys wait until the answer is called; they do then what they would have done. A button that was clicked loses the focus:
 * the next space is not for it. */
export function holdKeys(): () => void {
  if (document.activeElement instanceof HTMLElement && !typingIn(document.activeElement)) document.activeElement.blur();
  const why = Symbol("waits");
  waiting.add(why);
  const release = () => {
    clearTimeout(limit);
    if (waiting.delete(why)) replaying = setTimeout(replay); // when what was waited for is drawn
  };
  const limit = setTimeout(release, longestHold);
  return release;
}

let forDesk: (() => void) | undefined;

/** holdForDesk lets keys wait until what lies on the desk is known. */
export function holdForDesk() {
  forDesk ??= holdKeys();
}

/** letGoForDesk lets them go: it is known, or nobody signs in. */
export function letGoForDesk() {
  forDesk?.();
  forDesk = undefined;
}

/** replay does what was typed ahead, each key once what the one before it did is drawn. */
function replay() {
  clearTimeout(replaying);
  if (waiting.size > 0) return;
  const key = typedAhead.shift();
  if (key === undefined) return;
  const at = document.activeElement;
  if (!typingIn(at) || key === keyOf("command") || armed === "command") perform(key);
  else if (key === "Enter") {
    replayed = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true });
    at?.dispatchEvent(replayed);
  } else if (slip && isNotes(at)) {
    const rest = typedAhead.findIndex((k) => [...k].length !== 1);
    const more = typedAhead.splice(0, rest < 0 ? typedAhead.length : rest);
    slip.type([key, ...more].join(""));
  } else document.execCommand("insertText", false, key); // deprecated, and the only way to type as a person does
  if (typedAhead.length > 0) replaying = setTimeout(replay, 30);
}
let replayed: KeyboardEvent | undefined;
let replaying: ReturnType<typeof setTimeout> | undefined;

/** perform does what a key means; false: nothing. */
function perform(key: string): boolean {
  const commanded = armed === "command";
  const desk = slip?.desk ?? "none";
  const meaning = meaningOf(key, desk, commanded);
  const asked = armed;
  if (key === keyOf("command")) {
    arm("command");
    return true;
  }
  if (commanded) arm(undefined);
  if (meaning.kind === "outcome") {
    if (outcome?.(meaning.place)) return true;
    return !commanded && !/^[1-9]$/.test(key) && write(key);
  }
  if (meaning.kind === "action") {
    const handler = handlers.get(meaning.action)?.at(-1);
    if (handler) {
      const again = meaning.twice && asked !== meaning.action;
      arm(again ? meaning.action : undefined);
      if (!again) handler();
      return true;
    }
    return !commanded && key !== " " && write(key);
  }
  return meaning.kind === "notes" && write(key);
}

/** write types into the notes of the slip on the desk. */
function write(key: string): boolean {
  if (!slip) return false;
  slip.type(key);
  return true;
}

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

/** Keys for a tenth outcome and further ones: those that no action has. */
const furtherKeys = "q;',wszj";

/** outcomeKey is the key of the outcome at a place: 1 to 9, then those that no action has. */
export const outcomeKey = (place: number): string | undefined => keyTable().outcomes[place];

/** useOutcomeKeys lets the outcomes' keys choose one while a slip lies on the desk. It is told the place, and tells whether there is one. */
export function useOutcomeKeys(handler: (place: number) => boolean) {
  const latest = useRef(handler);
  useEffect(() => {
    latest.current = handler;
  });
  useEffect(() => {
    const run = (place: number) => latest.current(place);
    outcome = run;
    return () => {
      if (outcome === run) outcome = undefined;
    };
  }, []);
}

/** offeredCommands are the acts that the command key can be followed by now. */
export const offeredCommands = (): Action[] => actions.filter((a) => (handlers.get(a)?.length ?? 0) > 0);

const fields =
  "input:not([type=checkbox], [type=radio], [type=button], [type=range]), textarea, select, [contenteditable=true]";
const elsewhere = "[role=menu], [role=dialog], [role=listbox]";

/** typingIn tells whether what is typed goes into an element by itself. */
export const typingIn = (e: Element | null) => e?.matches(fields) ?? false;
const isNotes = (e: Element | null) => e?.matches("[data-notes]") ?? false;

/** somebodyTypes tells whether the focus is where it must not be taken from. */
export const somebodyTypes = () =>
  typingIn(document.activeElement) || document.querySelector("[role=dialog], [role=menu]") !== null;

/** listenForKeys is the one listener for keys; the answer ends it. */
export function listenForKeys(): () => void {
  // While something waits that was typed ahead, what is typed next waits behind it, wherever the focus is by now.
  const ahead = (e: KeyboardEvent) => {
    if (typedAhead.length === 0 || e.ctrlKey || e.metaKey || e.altKey || e.isComposing || e === replayed) return;
    if ([...e.key].length !== 1 && e.key !== "Enter" && e.key !== keyOf("command")) return;
    typedAhead = [...typedAhead, e.key].slice(-2_000);
    e.preventDefault();
    e.stopPropagation();
  };
  const onKey = (e: KeyboardEvent) => {
    if (!kept.on || e.ctrlKey || e.metaKey || e.altKey || e.isComposing || e.defaultPrevented || e.repeat) return;
    const target = e.target instanceof Element ? e.target : document.body;
    if (target.closest(elsewhere) || document.querySelector("[role=dialog]")) return;
    const command = e.key === keyOf("command");
    if (e.key === "Shift") return; // of the letter that comes
    const printable = [...e.key].length === 1;
    if (typingIn(target) && !command && armed !== "command") return;
    if (e.key === "Escape") {
      arm(undefined);
      return;
    }
    if (!command && !printable) {
      // A key that begins a letter of several: the letter goes where this key goes.
      if (e.key === "Dead" && slip?.desk === "speaking") slip.type("");
      return;
    }
    if (e.key === " " && target.closest("button, a, [role=button], [role=row], [tabindex]:not(main)")) return;
    if (waiting.size > 0) {
      typedAhead = [e.key];
      e.preventDefault();
      return;
    }
    const commanded = armed === "command";
    if (perform(e.key) || commanded) e.preventDefault();
  };
  const onEscape = (e: KeyboardEvent) => {
    const field = e.target instanceof HTMLElement ? e.target : undefined;
    if (e.key === "Escape" && field?.matches("input, textarea, select")) field.blur();
  };
  const onPointer = () => {
    if (armed === "command") arm(undefined);
  };
  window.addEventListener("keydown", onKey);
  window.addEventListener("keydown", ahead, { capture: true });
  window.addEventListener("keydown", onEscape);
  window.addEventListener("pointerdown", onPointer);
  return () => {
    window.removeEventListener("keydown", onKey);
    window.removeEventListener("keydown", ahead, { capture: true });
    window.removeEventListener("keydown", onEscape);
    window.removeEventListener("pointerdown", onPointer);
    arm(undefined);
    typedAhead = [];
  };
}
