// The voice traces of calls in progress, as they grow.
import { useSyncExternalStore } from "react";

import type { Schemas } from "../api/client";

type Trace = Schemas["VoiceTrace"];

const longest = 600; // values that are kept of a call: two minutes
const none: Trace = { ours: [], theirs: [] };
const traces = new Map<string, Trace>();
const listeners = new Set<() => void>();

/** growTrace adds what has just been heard in a call. */
export function growTrace(call: string, more: Trace) {
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
