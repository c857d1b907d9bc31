// What was typed and not sent: going elsewhere, or closing a dialog, loses nothing.
import { useState } from "react";

const kept = new Map<string, unknown>();

/** dropUnsent forgets it, at the sign-out. */
export function dropUnsent() {
  kept.clear();
}

/** useUnsent is what is being typed under a name; it is there again where the name comes back. Nothing is not kept. */
export function useUnsent<T>(name: string, nothing: () => T, isNothing: (x: T) => boolean): [T, (next: T) => void] {
  const [now, setNow] = useState(() => (kept.get(name) as T | undefined) ?? nothing());
  const write = (next: T) => {
    if (isNothing(next)) kept.delete(name);
    else kept.set(name, next);
    setNow(next);
  };
  return [now, write];
}
