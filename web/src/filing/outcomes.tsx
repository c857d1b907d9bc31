import { useQuery } from "@tanstack/react-query";

import type { Call, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { useRoundAct, useRoundOf, useSettle } from "../rounds/round";
import { outcomeKey, useKey, useKeys, useOutcomeKeys } from "../shell/keys";
import { Button, KeyHint } from "../ui/button";
import { useNow } from "../ui/clock";
import { useChangeSlip, useFile } from "./change_slip";
import { putAside } from "../calls/focus";
import { usePlan } from "./plan";
import { PlanItems } from "./plan_items";

type Outcome = Schemas["Outcome"];

/** offeredFor are the outcomes that a slip says are offered, each with its place, which decides its key. */
function offeredFor(call: Call, all: Outcome[]): { outcome: Outcome; place: number }[] {
  return (call.slip.offered ?? []).flatMap(({ id, place }) => {
    const outcome = all.find((o) => o.id === id);
    return outcome ? [{ outcome, place }] : [];
  });
}

/** soon is for how many seconds before calls come again one is warned. */
const soon = 15;

/** WrapUp warns that the time for writing up is over in a moment: calls come again, and the slip stays where it is. */
function WrapUp({ call, seconds }: { call: Call; seconds: number }) {
  const now = useNow(1_000);
  const left = call.state.ended_at ? Math.ceil(seconds - (now - Date.parse(call.state.ended_at)) / 1000) : 0;
  return (
    <p role="status" className="text-sm text-waiting">
      {seconds > 0 && left > 0 && left <= soon && t.after.wrapUp(left)}
    </p>
  );
}

/** Outcomes is the last part of a slip: how it went, what filing will do, File. */
export function Outcomes({ call }: { call: Call }) {
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  const file = useFile(call);
  const ended = call.state.phase === "ended";
  const { hint, on } = useKeys();
  const offered = offeredFor(call, me?.outcomes ?? []);
  const needed = me?.firm.outcome_needed && call.direction !== "internal";
  const chosenId =
    change.isPending && change.variables.outcome_id !== undefined ? change.variables.outcome_id : call.slip.outcome_id;
  const chosen = offered.find((x) => x.outcome.id === chosenId)?.outcome;
  const plan = usePlan(call, chosen);
  const round = useRoundOf(call);
  const settle = useSettle(call);
  const choose = (o: Outcome | undefined) => {
    // In a round one key settles an attempt and goes on; but that of a conversation waits for its end.
    if (o && call.round_id && (!o.reached || ended)) settle.run({ outcome: o.id });
    else if (o) change.mutate(o.id === chosenId ? { clear: ["outcome_id"] } : { outcome_id: o.id });
  };
  useOutcomeKeys((place) => {
    const chosen = offered.find((x) => x.place === place)?.outcome;
    choose(chosen);
    return chosen !== undefined;
  });
  const canFile = ended && (chosen !== undefined || !needed);
  const act = useRoundAct(call.round_id ?? "");
  const later = () => {
    putAside(call.slip.id);
    if (call.round_id) act.run({ act: "aside" }); // and the next person is called
  };
  const what =
    !chosen && needed
      ? t.slip.chooseOutcome
      : chosen && call.links.length > 0
        ? t.slip.willFile(call.links.map((l) => l.record.name).join(", "), chosen.label)
        : chosen
          ? t.slip.willFileNowhere(chosen.label)
          : "";
  useKey("file", file.run);
  useKey("later", ended ? later : undefined);
  return (
    <div className="flex min-w-0 flex-col gap-1.5 px-3.5 py-2.5">
      <div role="radiogroup" aria-label={t.slip.outcomes} className="grid grid-cols-2 gap-x-3">
        {offered.map(({ outcome: o, place }) => {
          const key = on ? outcomeKey(place) : undefined;
          return (
            <button
              key={o.id}
              type="button"
              role="radio"
              aria-checked={o.id === chosenId}
              aria-keyshortcuts={key?.toUpperCase()}
              onClick={() => {
                choose(o);
              }}
              className={`flex min-h-6 items-center gap-2 border-b border-rule py-0.5 text-left text-sm ${o.id === chosenId ? "font-semibold text-ours" : "text-ink hover:text-ours"}`}
            >
              <span
                aria-hidden
                className={`inline-flex size-4.5 shrink-0 items-center justify-center rounded-sm font-mono text-xs ${o.id === chosenId ? "bg-ours text-on-ours" : "bg-rule/60"}`}
              >
                {key?.toUpperCase() ?? (o.id === chosenId ? "✓" : "")}
              </span>
              <span className="truncate">{o.label}</span>
            </button>
          );
        })}
      </div>
      <div className="mt-auto flex flex-col gap-1.5">
        <p className="truncate text-sm text-quiet" data-testid="what-filing-does" title={what || undefined}>
          {what}
          {plan.error && <span className="block text-ending">{plan.error.message}</span>}
        </p>
        {chosen && <PlanItems call={call} outcome={chosen.id} items={plan.items} zone={plan.zone} />}
        <div className="flex items-end justify-between gap-2">
          {ended ? (
            <WrapUp call={call} seconds={me?.firm.wrap_seconds ?? 0} />
          ) : (
            <p className="text-sm text-quiet">
              {!call.round_id
                ? t.slip.whileSpeaking
                : call.state.phase === "speaking"
                  ? t.rounds.going.oneKeySpeaking
                  : t.rounds.going.oneKey}
            </p>
          )}
          <div className="flex shrink-0 gap-2">
            {ended && (
              <Button look="quiet" title={t.slip.laterHint} onClick={later}>
                {t.slip.later}
                {hint("later") && <KeyHint>{hint("later")}</KeyHint>}
              </Button>
            )}
            <Button
              look="ours"
              aria-disabled={!canFile}
              disabled={file.pending}
              onClick={file.run}
              hint={hint("file")}
              className={canFile ? "" : "opacity-55"}
            >
              {file.pending || settle.pending
                ? t.slip.filing
                : !call.round_id
                  ? t.slip.file
                  : round?.settings.pace === "at_once"
                    ? t.rounds.going.file
                    : t.rounds.going.fileByKey}
            </Button>
          </div>
        </div>
      </div>
    </div>
  );
}
