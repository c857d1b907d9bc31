// Sentences about calls.
import type { Call, CallState } from "../api/client";
import { t } from "../texts";
import { duration } from "../ui/clock";

/** whoOf names the other side: the person, else the company, else the number. */
export function whoOf(call: Call): string {
  if (call.direction === "internal") return call.display;
  return call.links[0]?.record.name ?? (call.withheld ? t.ring.withheld : call.display);
}

/** sentence says who called whom: they are named as given, or as "they" where their own record is read. */
export function sentence(call: Call, they: string, rep: string): string {
  if (call.between) return t.history.called(call.between.caller, call.between.called);
  if (call.direction !== "inbound") return t.history.called(rep, they);
  return call.state.answered_at === null ? t.history.unanswered(they) : t.history.answered(they, rep);
}

export const personOf = (call: Call) => call.links.find((l) => l.role === "person")?.record;
export const companyOf = (call: Call) => call.links.find((l) => l.role === "company")?.record;

/** stateWord says in one or two words how a call stands, with the reason of its end. */
export function stateWord(s: CallState): string {
  if (s.muted && s.phase === "speaking" && !s.on_hold) return t.in.during.mutedWord;
  if (s.on_hold) return t.slip.onHold;
  if (s.phase !== "ended") return t.slip.phases[s.phase] ?? s.phase;
  return t.slip.reasons[s.end_reason] ?? s.end_reason;
}

/** howLong says how long was rung and talked. */
export function howLong(call: Call): string {
  if (call.message_ms > 0) return t.in.list.message(duration(call.message_ms));
  if (call.drop) return t.rounds.drop[call.drop] ?? "";
  if (call.state.answered_at) return t.slip.talkedFor(duration(call.talk_ms));
  return call.ring_ms > 0
    ? `${stateWord(call.state)}, ${t.slip.rangFor(duration(call.ring_ms))}`
    : stateWord(call.state);
}

export type Parts = { ringing: number; talking: number; dialing: number };

/** partsAt splits a call's time until now, or until its end, into what the clock counts apart. */
export function partsAt(s: CallState, now: number): Parts {
  const at = (iso: string | null) => (iso ? Date.parse(iso) : undefined);
  const end = at(s.ended_at) ?? Math.max(now, Date.parse(s.started_at));
  const started = Date.parse(s.started_at);
  const answered = at(s.answered_at);
  const rang = at(s.rang_at) ?? answered ?? end;
  const talkFrom = answered ?? end;
  return {
    dialing: Math.min(rang, end) - started,
    ringing: Math.max(0, talkFrom - rang),
    talking: Math.max(0, end - talkFrom),
  };
}
