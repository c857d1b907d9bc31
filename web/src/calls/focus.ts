// Which slip lies on the desk: the one chosen last, else that of the call in progress, else the newest of this hour.
import { useSyncExternalStore } from "react";

import type { Call } from "../api/client";
import { serverNow } from "../api/queries";

let chosen: string | undefined;
let chosenAt = 0;
let aside: ReadonlySet<string> = new Set();
const listeners = new Set<() => void>();
let version = 0;

function changed() {
  version++;
  for (const tell of listeners) tell();
}

/** focusSlip lays a slip on the desk. */
export function focusSlip(id: string) {
  chosen = id;
  chosenAt = serverNow();
  aside = new Set([...aside].filter((x) => x !== id));
  changed();
}

/** putAside leaves a slip to the lane. */
export function putAside(id: string) {
  aside = new Set([...aside, id]);
  if (chosen === id) chosen = undefined;
  changed();
}

const typing = () =>
  document.activeElement?.closest("[data-testid=slip]")?.querySelector("textarea") === document.activeElement;

const recent = 60 * 60 * 1000;

/** useSlipOnDesk gives the call whose slip lies on the desk, and the other open ones. */
export function useSlipOnDesk(calls: Call[]): { call: Call | undefined; others: Call[] } {
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => version,
  );
  const open = calls.filter((c) => c.slip.state === "open");
  const live = open.find((c) => c.state.phase !== "ended");
  // A call that was placed since, in another window, comes to lie on the desk; but never under the hands of somebody who types.
  const since = live && Date.parse(live.state.started_at) > chosenAt && !typing() ? live : undefined;
  const call =
    since ??
    open.find((c) => c.slip.id === chosen) ??
    live ??
    open.filter((c) => !aside.has(c.slip.id) && serverNow() - Date.parse(c.state.started_at) < recent).at(-1);
  return { call, others: open.filter((c) => c !== call) };
}
