import { useQuery } from "@tanstack/react-query";

import type { Call } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { useKey, useKeys, useOutcomeKeys } from "../shell/keys";
import { Button, KeyHint } from "../ui/button";
import { useChangeSlip, useFile } from "./change_slip";
import { putAside } from "./focus";

/** Outcomes is the last part of a slip: how it went, what filing will do, File. */
export function Outcomes({ call }: { call: Call }) {
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  const file = useFile(call);
  const { hint, on } = useKeys();
  const internal = call.direction === "internal"; // among colleagues nothing is compulsory
  const outcomes = internal ? [] : (me?.outcomes ?? []);
  const needed = me?.firm.outcome_needed && !internal;
  const chosenId =
    change.isPending && change.variables.outcome_id !== undefined ? change.variables.outcome_id : call.slip.outcome_id;
  const chosen = outcomes.find((o) => o.id === chosenId);
  const choose = (index: number) => {
    const o = outcomes[index];
    if (o) change.mutate(o.id === chosenId ? { clear: ["outcome_id"] } : { outcome_id: o.id });
  };
  useOutcomeKeys(choose);
  const ended = call.state.phase === "ended";
  const canFile = ended && (chosen !== undefined || !needed);
  useKey("file", file.run);
  useKey(
    "later",
    ended
      ? () => {
          putAside(call.slip.id);
        }
      : undefined,
  );
  return (
    <div className="flex min-w-0 flex-col gap-2 p-3.5">
      <div role="radiogroup" aria-label={t.slip.outcomes} className="grid grid-cols-2 gap-x-3">
        {outcomes.map((o, i) => (
          <button
            key={o.id}
            type="button"
            role="radio"
            aria-checked={o.id === chosenId}
            aria-keyshortcuts={on && i < 9 ? String(i + 1) : undefined}
            onClick={() => {
              choose(i);
            }}
            className={`flex min-h-6 items-center gap-2 border-b border-rule py-0.5 text-left text-sm ${o.id === chosenId ? "font-semibold text-ours" : "text-ink hover:text-ours"}`}
          >
            <span
              aria-hidden
              className={`inline-flex size-4.5 shrink-0 items-center justify-center rounded-sm font-mono text-xs ${o.id === chosenId ? "bg-ours text-on-ours" : "bg-rule/60"}`}
            >
              {on && i < 9 ? i + 1 : o.id === chosenId ? "✓" : ""}
            </span>
            <span className="truncate">{o.label}</span>
          </button>
        ))}
      </div>
      <div className="mt-auto flex items-end justify-between gap-2">
        <p className="text-sm text-quiet" data-testid="what-filing-does">
          {!chosen && needed
            ? t.slip.chooseOutcome
            : chosen && call.links.length > 0
              ? t.slip.willFile(call.links.map((l) => l.record.name).join(", "), chosen.label)
              : chosen && t.slip.willFileNowhere(chosen.label)}
          {!ended && <span className="block">{t.slip.whileSpeaking}</span>}
        </p>
        <div className="flex shrink-0 gap-2">
          {ended && (
            <Button
              look="quiet"
              title={t.slip.laterHint}
              onClick={() => {
                putAside(call.slip.id);
              }}
            >
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
            {file.pending ? t.slip.filing : t.slip.file}
          </Button>
        </div>
      </div>
    </div>
  );
}
