// The newest known state of each call in progress: a live event may overtake the answer to a request, which must not
// bring an older state back. The contract says which of two is the newer: the one of more facts, and of two alike the saved one.
import type { QueryClient } from "@tanstack/react-query";

import type { Call, CallState, Schemas } from "./client";
import { keys } from "./keys";

const newest = new Map<string, CallState>();

const newer = (a: CallState, b: CallState) => a.seq > b.seq || (a.seq === b.seq && a.saved && !b.saved);

/** mine is a state as it is for whoever has left the call, which goes on with others: over. */
const mine = (s: CallState): CallState =>
  s.left_at && s.phase !== "ended"
    ? { ...s, phase: "ended", ended_at: s.left_at, end_reason: s.left_reason ?? "", on_hold: false }
    : s;

/** noteState remembers a state that came as a live event, and gives the newer of it and what was known. */
export function noteState(s: CallState): CallState {
  const known = newest.get(s.call_id);
  if (known && newer(known, s)) return mine(known);
  newest.delete(s.call_id);
  newest.set(s.call_id, s);
  const oldest = newest.keys().next().value;
  if (newest.size > 100 && oldest) newest.delete(oldest);
  return mine(s);
}

/** withNewest gives a call as it was answered, with the newest state that is known of it. */
export function withNewest(call: Call): Call {
  const known = newest.get(call.id);
  return { ...call, state: mine(known && newer(known, call.state) ? known : call.state) };
}

/** layOnDesk puts a call that was just placed or taken among those on the desk, and gives it as it is known best. */
export function layOnDesk(client: QueryClient, placed: Call): Call {
  const call = withNewest(placed);
  client.setQueryData<Schemas["Desk"]>(keys.desk(), (desk) => ({
    ...desk,
    calls: [...(desk?.calls.filter((c) => c.id !== call.id) ?? []), call],
  }));
  return call;
}
