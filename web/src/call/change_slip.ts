// Changing a slip: its fields, and filing it.
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { withNewest } from "../api/call_states";
import { api, ask, type Call, Failure, type Schemas } from "../api/client";
import { t } from "../messages";
import { useTell } from "../ui/toast";
import { keeperOf } from "./notes_keeper";
import { whoOf } from "./words";

/** useChangeSlip sets subject, type or outcome, one change after the other, each upon the version before it. */
export function useChangeSlip(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation({
    scope: { id: `slip-${call.slip.id}` },
    mutationFn: async (change: Omit<Schemas["SlipChange"], "version">) => {
      const desk = client.getQueryData<{ calls: Call[] }>(["desk"]);
      const latest =
        desk?.calls.find((c) => c.id === call.id) ??
        client.getQueryData<{ call: Call }>(["call", call.id])?.call ??
        call;
      const version = Math.max(latest.slip.version, call.slip.version);
      const changed = await ask(
        api.PATCH("/api/slips/{id}", { params: { path: { id: call.slip.id } }, body: { ...change, version } }),
      );
      putCall(client, changed);
    },
    onError: (e) => {
      void client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["call", call.id] });
      tell(e.message, { bad: true });
    },
  });
}

/** putCall takes a newer version of a call into what is shown. */
export function putCall(client: ReturnType<typeof useQueryClient>, call: Call) {
  client.setQueryData<{ calls: Call[] }>(
    ["desk"],
    (desk) => desk && { calls: desk.calls.map((c) => (c.id === call.id ? withNewest(call) : c)) },
  );
  client.setQueryData<Schemas["CallPageDetail"]>(["call", call.id], (page) => page && { ...page, call });
}

/** useFile files a slip: first the notes, then the slip; what is missing is said. */
export function useFile(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  const filing = useMutation({
    scope: { id: `slip-${call.slip.id}` }, // behind an outcome that is still being saved
    mutationFn: async () => {
      const keeper = keeperOf(call.slip.id, call.slip.notes);
      if (!(await keeper.flush())) {
        const { status, problem } = keeper.get();
        throw status === "conflict" || status === "refused"
          ? new Error(problem ?? t.notes.conflict)
          : new Failure(undefined);
      }
      return ask(
        api.POST("/api/slips/{id}/file", {
          params: { path: { id: call.slip.id }, header: { "Idempotency-Key": `file-${call.slip.id}` } },
        }),
      );
    },
    onSuccess: (filed) => {
      client.setQueryData<{ calls: Call[] }>(
        ["desk"],
        (desk) => desk && { calls: desk.calls.filter((c) => c.id !== filed.id) },
      );
      tell(t.slip.filed(whoOf(filed)));
      document.getElementById("sheet")?.focus({ preventScroll: true });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return {
    run: () => {
      if (!filing.isPending) filing.mutate();
    },
    pending: filing.isPending,
  };
}
