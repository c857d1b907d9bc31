// The newest known state of each call in progress: a live event may overtake the answer to a request, which must not
// bring an older state back.
import type { Call, CallState } from "./client";

const newest = new Map<string, CallState>();
const order = ["dialing", "ringing", "speaking", "ended"];

const rank = (s: CallState) => order.indexOf(s.phase) * 2 + (s.saved ? 1 : 0);

/** noteState remembers a state that came as a live event, and gives the newer of it and what was known. */
export function noteState(s: CallState): CallState {
  const known = newest.get(s.call_id);
  if (known && rank(known) > rank(s)) return known;
  newest.delete(s.call_id);
  newest.set(s.call_id, s);
  const oldest = newest.keys().next().value;
  if (newest.size > 100 && oldest) newest.delete(oldest);
  return s;
}

/** withNewest gives a call as it was answered, with the newest state that is known of it. */
export function withNewest(call: Call): Call {
  const known = newest.get(call.id);
  return known && rank(known) > rank(call.state) ? { ...call, state: known } : call;
}
