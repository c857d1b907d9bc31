// The newest known state of each call in progress: a live event may overtake the answer to a request, which must not
// bring an older state back. The contract says which of two is the newer: the one of more facts, and of two alike the saved one.
import type { Call, CallState } from "./client";

const newest = new Map<string, CallState>();

const newer = (a: CallState, b: CallState) => a.seq > b.seq || (a.seq === b.seq && a.saved && !b.saved);

/** noteState remembers a state that came as a live event, and gives the newer of it and what was known. */
export function noteState(s: CallState): CallState {
  const known = newest.get(s.call_id);
  if (known && newer(known, s)) return known;
  newest.delete(s.call_id);
  newest.set(s.call_id, s);
  const oldest = newest.keys().next().value;
  if (newest.size > 100 && oldest) newest.delete(oldest);
  return s;
}

/** withNewest gives a call as it was answered, with the newest state that is known of it. */
export function withNewest(call: Call): Call {
  const known = newest.get(call.id);
  return known && newer(known, call.state) ? { ...call, state: known } : call;
}
