// What an outcome will do once its slip is filed, with what the rep has changed of it.
import { type QueryClient, queryOptions, useQuery } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";

import { keys } from "../api/keys";
import { api, ask, type Call, type Schemas } from "../api/client";

export type PlanItem = Schemas["PlanItem"];
export type Edit = Partial<Pick<PlanItem, "text" | "due_at" | "day_only" | "struck">>;

/** What was changed of a plan, by slip: kept until it is filed, or another outcome is chosen. */
const edits = new Map<string, { outcome: string; of: Record<number, Edit> }>();
const listeners = new Set<() => void>();
const none: Record<number, Edit> = {};

const editsOf = (slip: string, outcome: string) => {
  const kept = edits.get(slip);
  return kept?.outcome === outcome ? kept.of : none;
};

export function editItem(slip: string, outcome: string, effect: number, edit: Edit) {
  const before = editsOf(slip, outcome);
  edits.set(slip, { outcome, of: { ...before, [effect]: { ...before[effect], ...edit } } });
  for (const tell of listeners) tell();
}

export function forgetEdits(slip: string) {
  edits.delete(slip);
  for (const tell of listeners) tell();
}

/** planQuery asks for the plan. It is asked for anew when the call stands on other records. */
const planQuery = (call: Call, outcome: string) =>
  queryOptions({
    queryKey: keys.plan(call.slip.id, outcome, call.links.map((l) => l.record.id).join()),
    queryFn: () =>
      ask(
        api.GET("/api/slips/{id}/plan", {
          params: { path: { id: call.slip.id }, query: { outcome_id: outcome } },
        }),
      ),
    staleTime: 60_000,
  });

const merged = (items: PlanItem[], of: Record<number, Edit>) => items.map((it) => ({ ...it, ...of[it.effect] }));

/** usePlan gives the items as they stand, with what was changed of them, and whether they are being looked for. */
export function usePlan(call: Call, outcome: Schemas["Outcome"] | undefined) {
  const acts = outcome?.acts ?? false;
  const plan = useQuery({ ...planQuery(call, outcome?.id ?? ""), enabled: acts });
  const of = useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => editsOf(call.slip.id, outcome?.id ?? ""),
  );
  return {
    items: acts && plan.data ? merged(plan.data.items, of) : [],
    zone: plan.data?.zone,
    error: plan.error,
    pending: acts && plan.isPending,
  };
}

/** shownPlan is the plan as it was shown, for filing; it is looked for where it was not shown yet. */
export async function shownPlan(client: QueryClient, call: Call, outcome: string): Promise<PlanItem[]> {
  const plan = await client.ensureQueryData(planQuery(call, outcome));
  return merged(plan.items, editsOf(call.slip.id, outcome));
}

/** knownPlan is the plan as it was shown; undefined where it was not. */
export function knownPlan(client: QueryClient, call: Call, outcome: string): PlanItem[] | undefined {
  const plan = client.getQueryData<Schemas["FilingPlan"]>(planQuery(call, outcome).queryKey);
  return plan && merged(plan.items, editsOf(call.slip.id, outcome));
}

/** lookAgain forgets a plan that has turned out to be an old one. */
export const lookAgain = (client: QueryClient, slip: string) =>
  void client.invalidateQueries({ queryKey: keys.plan(slip) });
