// The records opened last, so that a contact and its company lie a click apart.
import { useSyncExternalStore } from "react";

import type { RecordRef } from "../api/client";

let trail: RecordRef[] = [];
const listeners = new Set<() => void>();

export function rememberRecord(record: RecordRef) {
  const there = trail.find((r) => r.id === record.id);
  if (there && there.name === record.name) return;
  trail = there ? trail.map((r) => (r.id === record.id ? record : r)) : [...trail.slice(-4), record];
  for (const tell of listeners) tell();
}

/** useTrail gives them, oldest first. */
export function useTrail(current: string): RecordRef[] {
  const all = useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => trail,
  );
  return all.some((r) => r.id === current) ? all : [];
}
