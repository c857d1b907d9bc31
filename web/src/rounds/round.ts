// The round that I work on: what it is at, and how it goes on.
import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useLocation, useNavigate } from "@tanstack/react-router";
import { useEffect, useRef } from "react";

import { keys } from "../api/keys";
import { withNewest } from "../api/call_states";
import { api, ask, type Call, Failure, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { focusSlip } from "../calls/focus";
import { keeperOf } from "../filing/notes_keeper";
import { forgetEdits, knownPlan, lookAgain } from "../filing/plan";
import { t } from "../texts";
import { somebodyTypes } from "../shell/keys";
import { useTell } from "../ui/toast";

export type Round = Schemas["Round"];
export type Settings = Schemas["RoundSettings"];

/** useGoing is the round that I work on now; undefined: none. */
export function useGoing(): Round | undefined {
  const id = useQuery(queries.rounds).data?.find((r) => r.mine === "going")?.id;
  const round = useQuery({ ...queries.round(id ?? ""), enabled: id !== undefined }).data;
  return id !== undefined && round?.mine === "going" && !round.over ? round : undefined;
}

/** goingOf is the same, as it was last read. */
function goingOf(client: QueryClient): Round | undefined {
  const id = client.getQueryData<Schemas["RoundRef"][]>(keys.rounds())?.find((r) => r.mine === "going")?.id;
  return id === undefined ? undefined : client.getQueryData<Round>(keys.round(id));
}

/** useRoundOf is the round of which a call is an attempt that is not filed yet; undefined also until it is known (call.round_id says so at once). */
export function useRoundOf(call: Call): Round | undefined {
  const id = call.round_id;
  return useQuery({ ...queries.round(id ?? ""), enabled: id !== undefined }).data;
}

/** takeRound takes in how a round stands now: its call comes to lie on the desk. */
export function takeRound(client: QueryClient, round: Round, filed?: string) {
  client.setQueryData(keys.round(round.id), round);
  client.setQueryData<Schemas["RoundRef"][]>(keys.rounds(), (all) =>
    all?.map((r) => (r.id === round.id ? { ...r, mine: round.mine, remaining: round.remaining } : r)),
  );
  void client.invalidateQueries({ queryKey: keys.rounds() });
  void client.invalidateQueries({ queryKey: keys.round(round.id, "people") });
  const call = round.current?.call ? withNewest(round.current.call) : undefined;
  client.setQueryData<{ calls: Call[] }>(keys.desk(), (desk) => {
    if (!desk) return desk;
    const others = desk.calls.filter((c) => c.slip.id !== filed && c.id !== call?.id);
    return { calls: call?.slip.state === "open" ? [...others, call] : others };
  });
  if (call?.slip.state === "open") focusSlip(call.slip.id);
  if (call?.dial_to && call.unconfirmed) window.location.href = call.dial_to; // this computer's calling program takes it
}

/** useRoundAct does something with a round; what it is then is shown at once. */
export function useRoundAct(id: string) {
  const client = useQueryClient();
  const tell = useTell();
  const act = useMutation({
    mutationFn: (body: Schemas["RoundAct"]) =>
      ask(
        api.POST("/api/rounds/{id}/acts", {
          params: { path: { id }, header: { "Idempotency-Key": newKey() } },
          body,
        }),
      ),
    onSuccess: (round) => {
      takeRound(client, round);
      void client.invalidateQueries({ queryKey: keys.lane() });
    },
    onError: (e) => {
      void client.invalidateQueries({ queryKey: keys.round(id) });
      void client.invalidateQueries({ queryKey: keys.desk() });
      if (e instanceof Failure && e.code === "telephone_rings")
        void client.invalidateQueries({ queryKey: keys.sound() });
      else tell(e.message, { bad: true });
    },
  });
  return {
    pending: act.isPending,
    run: (body: Schemas["RoundAct"], done?: () => void) => {
      if (!act.isPending) act.mutate(body, done ? { onSuccess: done } : {});
    },
  };
}

type How = { outcome?: string; leave?: boolean; message?: string; toPerson?: boolean };

/** useSettle files an attempt of a round and goes on: with an outcome, or with the one that was chosen. */
export function useSettle(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  const settle = useMutation({
    scope: { id: `slip-${call.slip.id}` }, // behind an outcome that is still being saved
    mutationFn: async (how: How) => {
      await keeperOf(call.slip.id, call.slip.notes).settled();
      const outcome = how.outcome ?? call.slip.outcome_id;
      const items = outcome && !how.leave ? knownPlan(client, call, outcome) : undefined;
      return ask(
        api.POST("/api/rounds/{id}/settle", {
          params: {
            path: { id: call.round_id ?? "" },
            header: { "Idempotency-Key": `settle-${call.slip.id}-${String(call.slip.version)}` },
          },
          body: {
            slip_id: call.slip.id,
            ...(how.outcome ? { outcome_id: how.outcome } : {}),
            ...(how.leave ? { leave: true } : {}),
            ...(how.message ? { message_id: how.message } : {}),
            ...(how.toPerson ? { to_person: true } : {}),
            ...(items ? { items } : {}),
          },
        }),
      );
    },
    onSuccess: (next) => {
      forgetEdits(call.slip.id);
      takeRound(client, next, call.slip.id);
      document.getElementById("sheet")?.focus({ preventScroll: true });
    },
    onError: (e) => {
      lookAgain(client, call.slip.id);
      void client.invalidateQueries({ queryKey: keys.desk() });
      void client.invalidateQueries({ queryKey: keys.round(call.round_id) });
      if (!(e instanceof Failure && e.code === "person_heard")) tell(e.message, { bad: true }); // which is asked where the message stands
    },
  });
  return {
    pending: settle.isPending,
    run: (how: How, failed?: (e: Error) => void) => {
      if (call.round_id && !settle.isPending) settle.mutate(how, failed ? { onError: failed } : {});
    },
  };
}

/** dialInRound calls a number of whom a round is at as an attempt of the round; undefined where it is not one of theirs. */
export function dialInRound(client: QueryClient, request: Schemas["NewCall"]): Promise<void> | undefined {
  const round = goingOf(client);
  const current = round?.current;
  if (!round || !current || !current.numbers.some((n) => n.id === request.number_id)) return undefined;
  const number = request.number_id ? { number_id: request.number_id } : {};
  return ask(
    api.POST("/api/rounds/{id}/acts", {
      params: { path: { id: round.id }, header: { "Idempotency-Key": newKey() } },
      body: { act: current.state === "taken" ? "call" : "next_number", ...number },
    }),
  ).then((next) => {
    takeRound(client, next);
  });
}

/** useUndoLast takes the last outcome of a round back, with what it did. */
export function useUndoLast(round: Round | undefined) {
  const client = useQueryClient();
  const tell = useTell();
  const undo = useMutation({
    mutationFn: (last: Schemas["RoundUndo"]) =>
      ask(api.POST("/api/slips/{id}/undo", { params: { path: { id: last.slip_id } } })),
    onSuccess: (_, last) => {
      void client.invalidateQueries();
      tell(t.after.outcomes.undone(last.name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const last = round?.undo;
  return last
    ? () => {
        if (!undo.isPending) undo.mutate(last);
      }
    : undefined;
}

/** useFollowRound shows a round's sheet as soon as it is at somebody else; never under the hands of somebody who types. */
export function useFollowRound() {
  const round = useGoing();
  const navigate = useNavigate();
  const path = useLocation().pathname;
  const at = useRef<string>(undefined);
  const now = round?.current?.call ? `${round.id} ${String(round.current.position)}` : undefined;
  useEffect(() => {
    const before = at.current;
    at.current = now;
    if (!round || now === undefined || now === before) return;
    if (!path.startsWith("/rounds/") && !somebodyTypes() && before !== undefined) {
      void navigate({ to: "/rounds/$id", params: { id: round.id }, search: {} });
    }
  }, [now, round, path, navigate]);
}

/** The people for whom a round is about to be started, kept for its start page. */
const sourceKey = "trundo.round-of";
export type Source = Pick<Schemas["RoundStart"], "selection" | "list_id" | "lane" | "name">;

export function keepSource(source: Source) {
  sessionStorage.setItem(sourceKey, JSON.stringify(source));
}

export function keptSource(): Source | undefined {
  try {
    return (JSON.parse(sessionStorage.getItem(sourceKey) ?? "null") as Source | null) ?? undefined;
  } catch {
    return undefined;
  }
}
