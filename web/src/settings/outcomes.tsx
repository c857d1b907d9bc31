import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { whenOf } from "../filing/plan_items";
import { t } from "../texts";
import { outcomeKey } from "../shell/keys";
import { Button, IconButton } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Check, Field } from "../ui/field";
import { Cross, More, Up } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { CallTypes } from "./call_types";
import { useDraft } from "./draft";
import { EffectForm } from "./effect_form";
import { Holidays } from "./holidays";

type Settings = Schemas["OutcomeSettings"];
type Outcome = Schemas["OutcomeSetting"];
const s = t.after.settings;

/** OutcomeSettings are the outcomes of the firm with what they do, the call types, and the days on which nobody works. */
export function OutcomeSettings() {
  const settings = useQuery(queries.outcomeSettings);
  if (settings.isPending) return <Loading />;
  if (!settings.data) return <Failed error={settings.error} retry={() => void settings.refetch()} />;
  return <Form settings={settings.data} />;
}

const fresh: Outcome = {
  id: null,
  label: "",
  reached: true,
  needs_notes: false,
  needs_follow_up: false,
  directions: [],
  teams: [],
  call_type_ids: [],
  effects: [],
  active: true,
};

/** moved puts the entry at one place to another. */
function moved<T>(list: T[], from: number, to: number): T[] {
  const next = [...list];
  const [one] = next.splice(from, 1);
  if (one === undefined || to < 0 || to > next.length) return list;
  next.splice(to, 0, one);
  return next;
}

function Form({ settings }: { settings: Settings }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved: isSaved, notice } = useDraft("outcomes", settings);
  const [at, setAt] = useState(0);
  const [asking, setAsking] = useState<{ text: string; go: () => void }>();
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/settings/outcomes", { body: draft })),
    onSuccess: (saved) => {
      client.setQueryData(keys.outcomeSettings(), saved);
      isSaved(saved);
      void client.invalidateQueries({ queryKey: keys.me() });
      tell(s.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.outcomeSettings() }),
  });
  const chosen = draft.outcomes[at];
  const set = (outcomes: Outcome[]) => {
    setDraft({ ...draft, outcomes });
  };
  const remove = (i: number) => {
    const o = draft.outcomes[i];
    const go = () => {
      set(draft.outcomes.filter((_, j) => j !== i));
      setAt(0);
    };
    if (o?.used) setAsking({ text: s.inUse(o.label, o.used), go });
    else go();
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      {asking && (
        <Dialog
          open
          title={s.takeOff}
          onClose={() => {
            setAsking(undefined);
          }}
          actions={
            <>
              <Button
                onClick={() => {
                  setAsking(undefined);
                }}
              >
                {s.keep}
              </Button>
              <Button
                look="ending"
                onClick={() => {
                  asking.go();
                  setAsking(undefined);
                }}
              >
                {s.takeOff}
              </Button>
            </>
          }
        >
          {asking.text}
        </Dialog>
      )}
      <p className="mb-3 max-w-3xl text-quiet">{s.intro}</p>
      {notice}
      <div className="grid grid-cols-[15rem_minmax(0,1fr)] gap-5 max-[63.9rem]:grid-cols-1">
        <section aria-label={s.outcomes}>
          <ol>
            {draft.outcomes.map((o, i) => (
              <li
                key={o.id ?? `new ${String(i)}`}
                className={`flex items-center gap-1 border-b border-rule ${i === at ? "bg-ours-soft" : ""}`}
              >
                <span aria-hidden className="w-6 text-center font-mono text-xs text-quiet">
                  {o.active ? outcomeKey(draft.outcomes.slice(0, i).filter((x) => x.active).length)?.toUpperCase() : ""}
                </span>
                <button
                  type="button"
                  aria-current={i === at}
                  onClick={() => {
                    setAt(i);
                  }}
                  className={`min-h-8 min-w-0 flex-1 truncate text-left ${i === at ? "font-semibold text-ours" : "hover:text-ours"} ${o.active ? "" : "text-quiet line-through"}`}
                >
                  {o.label || s.unnamed}
                </button>
                <IconButton
                  label={s.up(o.label)}
                  disabled={i === 0}
                  onClick={() => {
                    set(moved(draft.outcomes, i, i - 1));
                    setAt(i - 1);
                  }}
                >
                  <Up />
                </IconButton>
                <IconButton
                  label={s.down(o.label)}
                  disabled={i === draft.outcomes.length - 1}
                  onClick={() => {
                    set(moved(draft.outcomes, i, i + 1));
                    setAt(i + 1);
                  }}
                >
                  <More />
                </IconButton>
                <IconButton
                  label={s.remove(o.label)}
                  onClick={() => {
                    remove(i);
                  }}
                >
                  <Cross />
                </IconButton>
              </li>
            ))}
          </ol>
          <Button
            className="mt-2"
            onClick={() => {
              set([...draft.outcomes, fresh]);
              setAt(draft.outcomes.length);
            }}
          >
            {s.add}
          </Button>
        </section>
        {chosen && (
          <OneOutcome
            key={at}
            outcome={chosen}
            settings={draft}
            onChange={(change) => {
              set(draft.outcomes.map((x, i) => (i === at ? { ...x, ...change } : x)));
            }}
          />
        )}
      </div>
      <div className="mt-6 grid grid-cols-2 gap-7 max-[63.9rem]:grid-cols-1">
        <CallTypes draft={draft} onChange={setDraft} ask={setAsking} />
        <Holidays draft={draft} onChange={setDraft} />
      </div>
      <fieldset className="mt-5 flex gap-6">
        <legend className="sr-only">{s.compulsory}</legend>
        <Check
          label={s.outcomeNeeded}
          checked={draft.outcome_needed}
          onChange={(on) => {
            setDraft({ ...draft, outcome_needed: on });
          }}
        />
        <Check
          label={s.typeNeeded}
          checked={draft.type_needed}
          onChange={(on) => {
            setDraft({ ...draft, type_needed: on });
          }}
        />
      </fieldset>
      {save.error && (
        <p role="alert" className="mt-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="mt-3" disabled={save.isPending}>
        {s.save}
      </Button>
    </form>
  );
}

function OneOutcome({
  outcome: o,
  settings,
  onChange,
}: {
  outcome: Outcome;
  settings: Settings;
  onChange: (change: Partial<Outcome>) => void;
}) {
  const toggled = <T,>(list: T[], one: T, on: boolean) => (on ? [...list, one] : list.filter((x) => x !== one));
  return (
    <section aria-label={o.label || s.unnamed} className="flex min-w-0 flex-col gap-3">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-2">
        <Field
          label={s.name}
          maxLength={60}
          className="w-64"
          value={o.label}
          onChange={(e) => {
            onChange({ label: e.target.value });
          }}
        />
        {(
          [
            ["reached", s.reached],
            ["needs_notes", s.needsNotes],
            ["needs_follow_up", s.needsFollowUp],
            ["active", s.active],
          ] as const
        ).map(([key, label]) => (
          <Check
            key={key}
            label={label}
            checked={o[key]}
            onChange={(on) => {
              onChange({ [key]: on });
            }}
          />
        ))}
      </div>
      {o.used && <p className="text-sm text-quiet">{s.used(o.used)}</p>}
      <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
        <legend className="text-sm text-quiet">{s.where}</legend>
        {(["inbound", "outbound"] as const).map((way) => (
          <Check
            key={way}
            label={s.ways[way]}
            checked={o.directions.length === 0 || o.directions.includes(way)}
            onChange={(on) => {
              const all = o.directions.length === 0 ? (["inbound", "outbound"] as const) : o.directions;
              const next = toggled<"inbound" | "outbound">([...all], way, on);
              onChange({ directions: next.length === 2 ? [] : next });
            }}
          />
        ))}
        {(settings.teams ?? []).map((team) => (
          <Check
            key={team}
            label={s.team(team)}
            checked={o.teams.length === 0 || o.teams.includes(team)}
            onChange={(on) => {
              const every = settings.teams ?? [];
              const next = toggled(o.teams.length === 0 ? every : o.teams, team, on);
              onChange({ teams: next.length === every.length ? [] : next });
            }}
          />
        ))}
        {settings.call_types
          .filter((x) => x.active && x.id)
          .map((x) => (
            <Check
              key={x.id}
              label={x.label}
              checked={o.call_type_ids.length === 0 || o.call_type_ids.includes(x.id ?? "")}
              onChange={(on) => {
                const every = settings.call_types.flatMap((c) => (c.active && c.id ? [c.id] : []));
                const next = toggled(o.call_type_ids.length === 0 ? every : o.call_type_ids, x.id ?? "", on);
                onChange({ call_type_ids: next.length === every.length ? [] : next });
              }}
            />
          ))}
      </fieldset>
      <div>
        <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.does}</h2>
        {o.effects.length === 0 && <p className="py-1.5 text-quiet">{s.doesNothing}</p>}
        <ol>
          {o.effects.map((e, i) => (
            <EffectForm
              key={i}
              effect={e}
              settings={settings}
              onChange={(next) => {
                onChange({
                  effects: next ? o.effects.map((x, j) => (j === i ? next : x)) : o.effects.filter((_, j) => j !== i),
                });
              }}
            />
          ))}
        </ol>
        <Button
          className="mt-2"
          disabled={o.effects.length >= 12}
          onClick={() => {
            onChange({
              effects: [
                ...o.effects,
                { kind: "follow_up", act: "call", text: "", count: 1, unit: "business_days", at: 10 * 60 },
              ],
            });
          }}
        >
          {s.addEffect}
        </Button>
      </div>
      <Preview outcome={o} />
    </section>
  );
}

/** Preview says what filing with an outcome would do, as of now. */
function Preview({ outcome }: { outcome: Outcome }) {
  const [asked, setAsked] = useState(outcome);
  useEffect(() => {
    const timer = setTimeout(() => {
      setAsked(outcome);
    }, 400);
    return () => {
      clearTimeout(timer);
    };
  }, [outcome]);
  const plan = useQuery({
    queryKey: keys.outcomePreview(asked.effects),
    queryFn: () => ask(api.POST("/api/settings/outcomes/preview", { body: { ...asked, label: asked.label || "x" } })),
    retry: false,
    placeholderData: (before) => before,
  });
  return (
    <div aria-live="polite" data-testid="preview" className="rounded-sm bg-paper p-2.5">
      <h3 className="text-sm text-quiet">{s.preview}</h3>
      {plan.error ? (
        <p className="text-waiting">{plan.error.message}</p>
      ) : (
        <p>
          {s.files(outcome.label)}
          {(plan.data?.items ?? []).map((it) => (
            <span key={it.effect}>
              {"; "}
              {it.words}
              {it.due_at && <strong> {whenOf(it)}</strong>}
              {it.problem && ` (${it.problem})`}
            </span>
          ))}
          .
        </p>
      )}
    </div>
  );
}
