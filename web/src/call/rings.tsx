import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";

import { withNewest } from "../api/call_states";
import { api, ask, type Call, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { useTell } from "../ui/toast";
import { focusSlip } from "./focus";

type Ring = Schemas["Ring"];

/** callerOf says who rings: the guesses, best first, else the number, else that it is withheld. */
export function callerOf(r: Ring): string {
  if (r.candidates.length > 0) return t.ring.either(r.candidates.map((c) => c.record.name));
  return r.withheld ? t.ring.withheld : r.display;
}

/** RingLine says who calls, on which line and what matters before the first word, and takes or declines the call. */
export function RingLine({ ring, first }: { ring: Ring; first: boolean }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const { hint } = useKeys();
  const now = useNow(500);
  const gone = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const refresh = () => void client.invalidateQueries({ queryKey: ["rings"] });
  const answer = useMutation({
    mutationFn: () => ask(api.POST("/api/calls/{id}/answer", { params: { path: { id: ring.call_id } } })),
    onSuccess: (answered) => {
      const call = withNewest(answered);
      client.setQueryData<{ calls: Call[] }>(["desk"], (desk) => ({
        calls: [...(desk?.calls.filter((c) => c.id !== call.id) ?? []), call],
      }));
      focusSlip(call.slip.id);
      const record = call.links[0]?.record;
      if (record) void navigate({ to: "/records/$id", params: { id: record.id } });
    },
    onError: gone,
    onSettled: refresh,
  });
  const decline = useMutation({
    mutationFn: () => ask(api.POST("/api/calls/{id}/decline", { params: { path: { id: ring.call_id } } })),
    onError: gone,
    onSettled: refresh,
  });
  const busy = answer.isPending || decline.isPending;
  const take = () => {
    if (!busy) answer.mutate();
  };
  const refuse = () => {
    if (!busy) decline.mutate();
  };
  useKey("answer", first ? take : undefined);
  useKey("decline", first ? refuse : undefined);
  const known = ring.candidates.length > 0;
  const hints = (action: "answer" | "decline") => (first ? hint(action) : undefined);
  return (
    <section
      aria-label={t.ring.region(callerOf(ring))}
      data-testid="ring"
      className="flex min-h-14 items-center gap-4 rounded-md border-2 border-theirs bg-theirs-soft px-3.5 py-1"
    >
      <div className="min-w-0 flex-1">
        <p className="flex items-baseline gap-2.5">
          <span className="name shrink truncate text-lg">{callerOf(ring)}</span>
          <span className="shrink-0">{known ? ring.display : !ring.withheld && t.slip.unknown}</span>
        </p>
        <p className="truncate text-sm">{[t.ring.on(ring.line, ring.source), ...ring.facts].join(" · ")}</p>
      </div>
      <span className="shrink-0 text-lg font-semibold" data-testid="ring-clock">
        {duration(now - Date.parse(ring.since))}
      </span>
      <Button look="ours" disabled={busy} onClick={take} hint={hints("answer")} aria-keyshortcuts={hints("answer")}>
        {t.ring.answer}
      </Button>
      <Button disabled={busy} onClick={refuse} hint={hints("decline")} aria-keyshortcuts={hints("decline")}>
        {t.ring.decline}
      </Button>
    </section>
  );
}

/** useRings gives the calls that ring for me. */
export const useRings = (): Ring[] => useQuery(queries.rings).data ?? [];
