// Changing a slip: its fields, and filing it.
import { type QueryClient, useMutation, useQueryClient } from "@tanstack/react-query";

import { keys } from "../api/keys";
import { withNewest } from "../api/call_states";
import { api, ask, type Call, Failure, type Schemas } from "../api/client";
import { t } from "../texts";
import { useSettle } from "../rounds/round";
import { useTell } from "../ui/toast";
import { keeperOf } from "./notes_keeper";
import { forgetEdits, lookAgain, shownPlan } from "./plan";
import { whoOf } from "../calls/words";

/** A database that is away for a moment is no reason to ask a rep to press a key again: the same wish is sent some times more, for two seconds. It
 * is done once, by its key or by the version before it. */
const untilBack = {
  retry: (tries: number, e: Error) => tries < 3 && e instanceof Failure && e.problem?.code === "database_away",
  retryDelay: (tries: number) => 300 * 2 ** tries,
};

/** useChangeSlip sets subject, type or outcome, one change after the other, each upon the version before it. */
export function useChangeSlip(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation({
    ...untilBack,
    scope: { id: `slip-${call.slip.id}` },
    mutationFn: async (change: Omit<Schemas["SlipChange"], "version">) => {
      const version = Math.max(newestOf(client, call).slip.version, call.slip.version);
      const changed = await ask(
        api.PATCH("/api/slips/{id}", { params: { path: { id: call.slip.id } }, body: { ...change, version } }),
      );
      putCall(client, changed);
    },
    onError: (e) => {
      void client.invalidateQueries({ queryKey: keys.desk() });
      void client.invalidateQueries({ queryKey: keys.call(call.id) });
      tell(e.message, { bad: true });
    },
  });
}

/** putCall takes a newer version of a call into what is shown. */
export function putCall(client: QueryClient, call: Call) {
  client.setQueryData<{ calls: Call[] }>(
    keys.desk(),
    (desk) => desk && { ...desk, calls: desk.calls.map((c) => (c.id === call.id ? withNewest(call) : c)) },
  );
  client.setQueryData<Schemas["CallPageDetail"]>(keys.call(call.id), (page) => page && { ...page, call });
}

/** newestOf is a call as it was last read. */
function newestOf(client: QueryClient, call: Call): Call {
  const desk = client.getQueryData<{ calls: Call[] }>(keys.desk());
  return (
    desk?.calls.find((c) => c.id === call.id) ?? client.getQueryData<{ call: Call }>(keys.call(call.id))?.call ?? call
  );
}

/** useUndoFiling opens a slip again, with what its filing did taken back; what stays is said. */
export function useUndoFiling() {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation({
    mutationFn: (call: Call) => ask(api.POST("/api/slips/{id}/undo", { params: { path: { id: call.slip.id } } })),
    onSuccess: (filing, call) => {
      void client.invalidateQueries();
      const stays = filing.effects.filter((e) => e.state === "stays").map((e) => `${e.words} (${e.why})`);
      if (stays.length > 0) tell(t.after.outcomes.stays(stays.join("; ")), { bad: true });
      else tell(t.after.outcomes.undone(whoOf(call)));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
}

/** useFile files a slip: first the notes, then the slip; what is missing is said. In a round it goes on to the next person. */
export function useFile(call: Call) {
  const client = useQueryClient();
  const settle = useSettle(call);
  const tell = useTell();
  const undo = useUndoFiling();
  const filing = useMutation({
    ...untilBack,
    scope: { id: `slip-${call.slip.id}` }, // behind an outcome that is still being saved
    mutationFn: async () => {
      await keeperOf(call.slip.id, call.slip.notes).settled();
      const now = newestOf(client, call);
      const outcome = client.getQueryData<Schemas["Me"]>(keys.me())?.outcomes.find((o) => o.id === now.slip.outcome_id);
      const items = outcome?.acts ? await shownPlan(client, now, outcome.id) : undefined;
      const filed = await ask(
        api.POST("/api/slips/{id}/file", {
          params: {
            path: { id: call.slip.id },
            header: { "Idempotency-Key": `file-${call.slip.id}-${String(now.slip.version)}` },
          },
          ...(items ? { body: { items } } : {}),
        }),
      );
      return { filed, items };
    },
    onSuccess: ({ filed, items }) => {
      forgetEdits(call.slip.id);
      client.setQueryData<{ calls: Call[] }>(
        keys.desk(),
        (desk) => desk && { ...desk, calls: desk.calls.filter((c) => c.id !== filed.id) },
      );
      const did = (items ?? []).filter((x) => !x.struck && !x.problem).map((x) => x.words);
      tell(did.length > 0 ? t.after.outcomes.filedAnd(whoOf(filed), did.join(", ")) : t.slip.filed(whoOf(filed)), {
        action: {
          label: t.after.outcomes.undo,
          run: () => {
            undo.mutate(filed);
          },
        },
      });
      document.getElementById("sheet")?.focus({ preventScroll: true });
    },
    onError: (e) => {
      lookAgain(client, call.slip.id);
      tell(e.message, { bad: true });
    },
  });
  return {
    run: () => {
      if (call.round_id) settle.run({});
      else if (!filing.isPending) filing.mutate();
    },
    pending: filing.isPending || settle.pending,
  };
}
