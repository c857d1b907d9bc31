import { useNoticeActs } from "./ring_notice";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useRef } from "react";

import { keys } from "../api/keys";
import { layOnDesk } from "../api/call_states";
import { api, ask, type Call, type RecordRef, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { holdKeys, somebodyTypes, useArmed, useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { useTell } from "../ui/toast";
import { focusSlip } from "./focus";
import { parties } from "../texts/parties";

type Ring = Schemas["Ring"];

/** callerOf says who rings: the one who is clearly meant, or the guesses, best first; else the number, or that it is withheld. */
export function callerOf(r: Ring): string {
  const [first] = r.candidates;
  if (first && r.clear) return first.record.name;
  if (first) {
    const same = r.candidates.every((c) => c.company === first.company);
    return t.ring.either(
      r.candidates.map((c) => (same || !c.company ? c.record.name : t.ring.of(c.record.name, c.company))),
    );
  }
  return r.withheld ? t.ring.withheld : r.display;
}

/** useOpening opens the caller's record as this rep prefers; never under the hands of somebody who types. */
function useOpening(ring: Ring) {
  const navigate = useNavigate();
  const opens = useQuery(queries.me).data?.preferences.opens ?? "answer";
  const clear = ring.clear ? ring.candidates[0]?.record.id : undefined;
  const opened = useRef(false);
  useEffect(() => {
    if (opens !== "ring" || !clear || opened.current || somebodyTypes()) return;
    opened.current = true;
    void navigate({ to: "/records/$id", params: { id: clear } });
  }, [opens, clear, navigate]);
  return (record: RecordRef | undefined, typed: boolean) => {
    if (opens === "address" && ring.address) window.open(ring.address, "_blank", "noopener");
    else if (opens === "answer" && record && !typed) {
      void navigate({ to: "/records/$id", params: { id: record.id } });
    }
  };
}

/** RingLine says who calls, on which line and what matters before the first word, and takes or declines the call. */
export function RingLine({ ring, first, second }: { ring: Ring; first: boolean; second: boolean }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const { hint } = useKeys();
  const armed = useArmed();
  const now = useNow(500);
  const open = useOpening(ring);
  const gone = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const refresh = () => void client.invalidateQueries({ queryKey: keys.rings() });
  const answer = useMutation<Call, Error, boolean, () => void>({
    mutationFn: () => ask(api.POST("/api/calls/{id}/answer", { params: { path: { id: ring.call_id } } })),
    onSuccess: (answered, typed) => {
      const call = layOnDesk(client, answered);
      if (!typed) focusSlip(call.slip.id);
      open(call.links[0]?.record, typed);
    },
    onMutate: holdKeys, // what is typed from now on belongs to this call
    onError: gone,
    onSettled: (_call, _error, _typed, release) => {
      setTimeout(() => release?.());
      refresh();
    },
  });
  const path = { params: { path: { id: ring.call_id } } };
  const leave = useMutation({
    mutationFn: (how: "decline" | "voicemail" | "later") =>
      how === "voicemail"
        ? ask(api.POST("/api/calls/{id}/voicemail", path))
        : ask(
            api.POST("/api/calls/{id}/decline", {
              ...path,
              body: how === "later" ? { word: parties.ring.laterWord } : {},
            }),
          ),
    onSuccess: (_, how) => {
      tell(how === "voicemail" ? t.ring.toVoicemail(callerOf(ring)) : t.ring.declined(callerOf(ring)));
    },
    onError: gone,
    onSettled: refresh,
  });
  const asked = ring.asked;
  const busy = answer.isPending || leave.isPending;
  const take = () => {
    if (!busy) answer.mutate(somebodyTypes());
  };
  const refuse = () => {
    if (!busy) leave.mutate("decline");
  };
  const toVoicemail = () => {
    if (!busy) leave.mutate("voicemail");
  };
  useNoticeActs(ring.call_id, { answer: take, decline: refuse });
  useKey("answer", first ? take : undefined);
  useKey("decline", first ? refuse : undefined);
  useKey("voicemail", first && !asked ? toVoicemail : undefined);
  const known = ring.candidates.length > 0;
  const hints = (action: "answer" | "decline" | "voicemail") => (first ? hint(action) : undefined);
  const [best, next] = ring.candidates;
  return (
    <section
      aria-label={t.ring.region(callerOf(ring))}
      data-testid="ring"
      className="flex min-h-14 items-center gap-3 rounded-md border-2 border-theirs bg-theirs-soft px-3.5 py-1 max-[63.9rem]:flex-wrap"
    >
      <div className="min-w-0 flex-1">
        <p className="flex items-baseline gap-2.5">
          {best && ring.clear ? (
            <button
              type="button"
              className="name min-h-6 shrink truncate text-lg hover:underline"
              title={t.ring.open}
              onClick={() => void navigate({ to: "/records/$id", params: { id: best.record.id } })}
            >
              {best.record.name}
            </button>
          ) : (
            <span className={`name shrink ${known ? "line-clamp-2" : "truncate text-lg"}`} title={callerOf(ring)}>
              {callerOf(ring)}
            </span>
          )}
          <span className="shrink-0">
            {ring.internal ? t.ring.colleague : known ? ring.display : !ring.withheld && t.slip.unknown}
          </span>
          {ring.company && (ring.clear || ring.candidates.every((c) => c.company === ring.company)) && (
            <span className="truncate">{ring.company}</span>
          )}
          {ring.line && <span className="shrink-0 text-sm text-quiet">{t.ring.on(ring.line, ring.source)}</span>}
        </p>
        {asked && (
          <p className="line-clamp-2 text-sm" data-testid="asked" title={asked.notes}>
            <span className="font-semibold">{askedWord(asked)}</span>
            {[asked.word, asked.subject, asked.notes].filter(Boolean).map((x) => `: ${x}`)}
          </p>
        )}
        <p className="truncate text-sm" title={ring.facts.join(" · ")}>
          {[!ring.clear && best && next && `${best.record.name}: ${best.reason}`, ...ring.facts]
            .filter(Boolean)
            .join(" · ")}
        </p>
      </div>
      <span className="shrink-0 text-lg font-semibold" data-testid="ring-clock">
        {duration(now - Date.parse(ring.since))}
      </span>
      <Button look="ours" disabled={busy} onClick={take} hint={hints("answer")} aria-keyshortcuts={hints("answer")}>
        {second ? t.ring.answerSecond : t.ring.answer}
      </Button>
      <Button disabled={busy} onClick={refuse} hint={hints("decline")} aria-keyshortcuts={hints("decline")}>
        {first && armed === "decline" ? t.ring.declineAgain(hint("decline")?.slice(0, 1) ?? "") : t.ring.decline}
      </Button>
      {asked ? (
        <Button
          disabled={busy}
          onClick={() => {
            leave.mutate("later");
          }}
        >
          {parties.ring.later}
        </Button>
      ) : (
        <Button disabled={busy} onClick={toVoicemail} hint={hints("voicemail")} aria-keyshortcuts={hints("voicemail")}>
          {first && armed === "voicemail"
            ? t.ring.voicemailAgain(hint("voicemail")?.slice(0, 1) ?? "")
            : t.ring.voicemail}
        </Button>
      )}
    </section>
  );
}

/** askedWord says who asks for this rep, or that a call comes back. */
function askedWord(asked: Schemas["HandedFrom"]): string {
  if (asked.role === "back") return parties.ring.back;
  return asked.role === "handed" ? parties.ring.gives(asked.name) : parties.ring.asks(asked.name);
}

/** useRings gives the calls that ring for me. */
export const useRings = (): Ring[] => useQuery(queries.rings).data ?? [];
