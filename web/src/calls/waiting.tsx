import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { api, ask, type Call, type Schemas } from "../api/client";
import { layOnDesk } from "../api/call_states";
import { keys } from "../api/keys";
import { onFree, onWord } from "../api/live";
import { queries } from "../api/queries";
import { holdKeys, useKey, useKeys } from "../shell/keys";
import { parties } from "../texts/parties";
import { Button } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { useTell } from "../ui/toast";
import { useDial } from "./dial";
import { focusSlip } from "./focus";
import { useListening } from "./listening";

const t = parties.waiting;
type Waiting = Schemas["WaitingCall"];

/** useTake takes a call that waits, with a slip. */
export function useTake() {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation<Call, Error, string, () => void>({
    mutationFn: (id) => ask(api.POST("/api/calls/{id}/take", { params: { path: { id } } })),
    onMutate: holdKeys,
    onSuccess: (taken) => {
      const call = layOnDesk(client, taken);
      focusSlip(call.slip.id);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: (_call, _error, _id, release) => {
      setTimeout(() => release?.());
      void client.invalidateQueries({ queryKey: keys.waiting() });
    },
  });
}

/** useFreeNotice says when a colleague is free for whom one waits, and calls them; and what the server says to one. */
export function useFreeNotice() {
  const tell = useTell();
  const { dial } = useDial();
  useEffect(
    () =>
      onWord((word) => {
        tell(word, { bad: true });
      }),
    [tell],
  );
  useEffect(
    () =>
      onFree((c) => {
        tell(t.free(c.name), {
          action: {
            label: t.call,
            run: () => {
              dial({ colleague_id: c.id }, c.name);
            },
          },
        });
      }),
    [tell, dial],
  );
}

/** WaitingCalls are those that are parked or were left: everybody sees who waits where, and takes one with a key. */
export function WaitingCalls() {
  const waiting = (useQuery(queries.waiting).data ?? []).filter((w) => w.rings.length === 0 && !w.queue);
  const taken = waiting.filter((w) => !w.help);
  useFreeNotice();
  const { hint } = useKeys();
  const listen = useListening();
  const take = useTake();
  const first = taken[0];
  useKey("take", first ? () => !take.isPending && take.mutate(first.call_id) : undefined);
  return waiting.map((w) => (
    <WaitingLine
      key={w.call_id}
      waiting={w}
      hint={w === first ? hint("take") : undefined}
      onTake={() => {
        if (w.help) listen.mutate({ call: w.call_id, how: "listen" });
        else if (!take.isPending) take.mutate(w.call_id);
      }}
    />
  ));
}

/** WaitingLine is one of them. */
export function WaitingLine({
  waiting: w,
  hint,
  onTake,
}: {
  waiting: Waiting;
  hint?: string | undefined;
  onTake: () => void;
}) {
  const now = useNow(1000);
  return (
    <div
      data-testid="waiting"
      className="mt-2 flex min-h-10 flex-wrap items-center gap-x-3 rounded-md border border-waiting bg-waiting-soft px-3.5 py-1"
    >
      <span className="font-semibold text-waiting">
        {w.help
          ? t.help(w.by)
          : w.rings.length > 0
            ? t.rings(w.rings.join(", "))
            : w.place
              ? t.parked(w.place)
              : t.left}
      </span>
      <span className="name">{w.name}</span>
      {w.name !== w.display && <span>{w.display}</span>}
      <span className="text-sm text-quiet">
        {w.line}
        {w.by && !w.help && ` · ${t.by(w.by)}`}
      </span>
      <span className="ml-auto font-semibold">{duration(Math.max(0, now - Date.parse(w.since)))}</span>
      <Button look="ours" onClick={onTake} hint={hint} aria-keyshortcuts={hint}>
        {w.help ? t.listen : t.take}
      </Button>
    </div>
  );
}
