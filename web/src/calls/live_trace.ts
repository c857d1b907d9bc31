// The voice traces of calls in progress, as they grow.
import { useSyncExternalStore } from "react";

import type { Schemas } from "../api/client";

type Trace = Schemas["VoiceTrace"];

const longest = 600; // values that are kept of a call: two minutes
const none: Trace = { ours: [], theirs: [] };
const traces = new Map<string, Trace>();
const quiet: ReadonlyMap<number, number> = new Map();
const louds = new Map<string, ReadonlyMap<number, number>>();
const listeners = new Set<() => void>();

/** growTrace adds what has just been heard in a call. */
export function growTrace(call: string, more: Trace, loud: Schemas["LoudLeg"][] = []) {
  louds.delete(call);
  if (loud.length > 0) louds.set(call, new Map(loud.map((x) => [x.leg, x.height])));
  const now = traces.get(call) ?? none;
  traces.delete(call);
  traces.set(call, {
    ours: [...now.ours, ...more.ours].slice(-longest),
    theirs: [...now.theirs, ...more.theirs].slice(-longest),
  });
  for (const old of traces.keys()) {
    if (traces.size <= 4) break;
    traces.delete(old);
  }
  for (const tell of listeners) tell();
}

/** useLiveTrace is the voice trace of a call in progress so far. */
export const useLiveTrace = (call: string): Trace =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => traces.get(call) ?? none,
  );

/** useLoud is how loud each leg of a call of more than two is just now, 0 to 100. */
export const useLoud = (call: string): ReadonlyMap<number, number> =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => louds.get(call) ?? quiet,
  );
