import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { money } from "../book/values";
import { ColleaguePick } from "../team/colleague_pick";
import { usage as s } from "../texts/usage";
import { Button } from "../ui/button";
import { Check, Field, Select } from "../ui/field";
import { locale } from "../ui/locale";
import { Empty, Failed, Loading } from "../ui/states";
import { Tabs } from "../ui/tabs";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Usage = Schemas["Usage"];
type Limit = Schemas["UsageLimit"];
type What = Schemas["UsageWhat"];
type Settings = Schemas["UsageSettings"];

const whats: What[] = ["minutes", "texts", "recorded", "storage"];
const scopes: Limit["scope"][] = ["firm", "team", "rep", "line"];

/** monthOf is a month so many before or after this one, by a day in it. */
function monthOf(back: number): string {
  const now = new Date();
  const d = new Date(Date.UTC(now.getFullYear(), now.getMonth() - back, 1));
  return d.toISOString().slice(0, 10);
}

/** UsageSettings are what was used in a month, what it costs, and how much of it is allowed. */
export function UsageSettings() {
  const [back, setBack] = useState(0);
  const month = useQuery(queries.usage(back === 0 ? undefined : monthOf(back)));
  const now = useQuery(queries.usage(undefined));
  if (month.isPending || now.isPending) return <Loading />;
  if (!month.data || !now.data) return <Failed error={month.error ?? now.error} retry={() => void month.refetch()} />;
  const name = new Intl.DateTimeFormat(locale, { month: "long", year: "numeric", timeZone: "UTC" }).format(
    new Date(monthOf(back)),
  );
  return (
    <div className="max-w-4xl">
      <p className="mb-3 max-w-prose">{s.intro}</p>
      <div className="mb-2 flex items-center gap-3">
        <h2 className="font-semibold">{name}</h2>
        <Button
          look="quiet"
          onClick={() => {
            setBack(back + 1);
          }}
        >
          {s.before}
        </Button>
        {back > 0 && (
          <Button
            look="quiet"
            onClick={() => {
              setBack(back - 1);
            }}
          >
            {s.after}
          </Button>
        )}
      </div>
      <Month usage={month.data} />
      <Allowed usage={now.data} />
    </div>
  );
}

function Month({ usage: u }: { usage: Usage }) {
  const [by, setBy] = useState<"reps" | "teams" | "lines">("reps");
  const [what, setWhat] = useState<What>("minutes");
  const rows = u[by].filter((x) => x.used[what] > 0).sort((a, b) => b.used[what] - a.used[what]);
  const most = Math.max(1, ...rows.map((x) => x.used[what]));
  return (
    <section className="mb-8" data-testid="usage">
      <dl className="mb-3 flex flex-wrap gap-x-8 gap-y-2">
        {whats.map((w) => (
          <div key={w}>
            <dd className="name text-lg tabular-nums">{u.firm[w]}</dd>
            <dt className="text-sm text-quiet">{s.what[w]}</dt>
          </div>
        ))}
        <div>
          <dd className="name text-lg tabular-nums">{money(u.cost)}</dd>
          <dt className="text-sm text-quiet">{s.cost}</dt>
        </div>
      </dl>
      <p className="mb-3 text-sm text-quiet">{s.help}</p>
      <div className="mb-2 flex flex-wrap gap-6">
        <Tabs
          label={s.byLabel}
          value={by}
          onChange={(next) => {
            setBy(next as typeof by);
          }}
          options={(["reps", "teams", "lines"] as const).map((b) => ({ value: b, label: s.by[b] }))}
        />
        <Tabs
          label={s.show}
          value={what}
          onChange={(next) => {
            setWhat(next as What);
          }}
          options={whats.map((w) => ({ value: w, label: s.what[w] }))}
        />
      </div>
      {rows.length === 0 && <Empty>{s.nothing}</Empty>}
      <ul aria-label={`${s.by[by]}: ${s.what[what]}`}>
        {rows.map((x) => (
          <li
            key={x.of}
            className="grid grid-cols-[11rem_minmax(0,1fr)_4rem_6rem] items-center gap-3 border-b border-rule py-1"
          >
            <span className="truncate" title={x.name}>
              {x.name}
            </span>
            <span aria-hidden className="h-3 bg-ours" style={{ width: `${String((100 * x.used[what]) / most)}%` }} />
            <span className="text-right tabular-nums">{x.used[what]}</span>
            <span className="text-right text-sm text-quiet tabular-nums">{x.cost ? money(x.cost) : ""}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const settingsOf = (u: Usage): Settings => ({
  limits: u.limits.map(({ what, scope, of, amount, hard }) => ({ what, scope, of, amount, hard })),
  prices: u.prices,
});

function Allowed({ usage }: { usage: Usage }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved, notice } = useDraft("usage", settingsOf(usage));
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/use", { body: draft })),
    onSuccess: (now) => {
      saved(settingsOf(now));
      client.setQueryData(keys.usage(""), now);
      tell(s.saved);
    },
  });
  const failure = save.error instanceof Failure ? save.error : undefined;
  const setLimit = (at: number, change: Partial<Limit>) => {
    setDraft({ ...draft, limits: draft.limits.map((l, i) => (i === at ? { ...l, ...change } : l)) });
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      {notice}
      <h2 className="font-semibold">{s.limits}</h2>
      <p className="mb-2 max-w-prose text-sm text-quiet">{s.limitsText}</p>
      {draft.limits.length === 0 && <p className="text-quiet">{s.noLimits}</p>}
      {draft.limits.map((l, i) => (
        <LimitRow
          key={i}
          limit={l}
          standing={usage.limits.find((x) => x.what === l.what && x.scope === l.scope && x.of === l.of)}
          usage={usage}
          problem={failure?.problem?.field === `limits.${String(i)}` ? failure.message : undefined}
          onChange={(change) => {
            setLimit(i, change);
          }}
          onRemove={() => {
            setDraft({ ...draft, limits: draft.limits.filter((_, at) => at !== i) });
          }}
        />
      ))}
      <Button
        className="mt-2"
        onClick={() => {
          setDraft({
            ...draft,
            limits: [...draft.limits, { what: "minutes", scope: "firm", of: "", amount: 1000, hard: false }],
          });
        }}
      >
        {s.add}
      </Button>
      <Prices
        usage={usage}
        prices={draft.prices}
        onChange={(prices) => {
          setDraft({ ...draft, prices });
        }}
      />
      {failure && !failure.problem?.field?.startsWith("limits.") && (
        <p role="alert" className="mt-2 text-ending">
          {failure.message}
        </p>
      )}
      <Button type="submit" look="ours" className="mt-4" disabled={save.isPending}>
        {s.save}
      </Button>
    </form>
  );
}

function LimitRow({
  limit: l,
  standing,
  usage,
  problem,
  onChange,
  onRemove,
}: {
  limit: Limit;
  standing: Limit | undefined;
  usage: Usage;
  problem: string | undefined;
  onChange: (change: Partial<Limit>) => void;
  onRemove: () => void;
}) {
  const team = useQuery(queries.team).data ?? [];
  const whom = {
    firm: [],
    rep: [],
    team: [...new Set(team.map((c) => c.team).filter(Boolean))].map((x) => ({ of: x, name: x })),
    line: usage.lines.map((x) => ({ of: x.of, name: x.name })),
  }[l.scope];
  return (
    <div className="border-b border-rule py-2" data-testid="limit">
      <div className="flex flex-wrap items-end gap-2">
        <Select
          label={s.ofWhat}
          className="w-40"
          value={l.what}
          onChange={(e) => {
            const what = e.target.value as What;
            onChange({ what, ...(what === "storage" ? { hard: false } : {}) });
          }}
        >
          {whats.map((w) => (
            <option key={w} value={w}>
              {s.what[w]}
            </option>
          ))}
        </Select>
        <Select
          label={s.whom}
          className="w-36"
          value={l.scope}
          onChange={(e) => {
            onChange({ scope: e.target.value as Limit["scope"], of: "" });
          }}
        >
          {scopes.map((x) => (
            <option key={x} value={x}>
              {s.scope[x]}
            </option>
          ))}
        </Select>
        {l.scope === "rep" && (
          <ColleaguePick
            label={s.scope.rep}
            className="w-44"
            value={l.of}
            name={standing?.name}
            onChange={(of) => {
              onChange({ of });
            }}
          />
        )}
        {(l.scope === "team" || l.scope === "line") && (
          <Select
            label={s.scope[l.scope]}
            className="w-44"
            value={l.of}
            onChange={(e) => {
              onChange({ of: e.target.value });
            }}
          >
            <option value="" />
            {whom.map((x) => (
              <option key={x.of} value={x.of}>
                {x.name}
              </option>
            ))}
          </Select>
        )}
        <Field
          label={s.amount}
          type="number"
          min={0}
          className="w-28"
          value={String(l.amount)}
          onChange={(e) => {
            onChange({ amount: Math.max(0, Math.round(Number(e.target.value) || 0)) });
          }}
        />
        {l.what !== "storage" && (
          <span title={s.hardHelp}>
            <Check
              label={s.hard}
              checked={l.hard}
              onChange={(hard) => {
                onChange({ hard });
              }}
            />
          </span>
        )}
        <Button look="quiet" onClick={onRemove}>
          {s.remove}
        </Button>
      </div>
      {standing?.used !== undefined && standing.level && (
        <p className={`text-sm ${standing.level === "under" ? "text-quiet" : "text-waiting"}`}>
          {[s.used(standing.used, standing.amount), s.levels[standing.level]].filter(Boolean).join(", ")}
        </p>
      )}
      {problem && (
        <p role="alert" className="text-sm text-ending">
          {problem}
        </p>
      )}
    </div>
  );
}

function Prices({
  usage,
  prices: p,
  onChange,
}: {
  usage: Usage;
  prices: Settings["prices"];
  onChange: (prices: Settings["prices"]) => void;
}) {
  const setMinute = (at: number, change: Partial<(typeof p.minutes)[number]>) => {
    onChange({ ...p, minutes: p.minutes.map((m, i) => (i === at ? { ...m, ...change } : m)) });
  };
  return (
    <section className="mt-6">
      <h2 className="font-semibold">{`${s.prices} (${usage.currency})`}</h2>
      <p className="mb-2 max-w-prose text-sm text-quiet">{s.pricesText}</p>
      {p.minutes.map((m, i) => (
        <div key={i} className="flex items-end gap-2 py-1">
          <Field
            label={s.prefix}
            className="w-40"
            placeholder={s.others}
            maxLength={8}
            value={m.prefix}
            onChange={(e) => {
              setMinute(i, { prefix: e.target.value.trim() });
            }}
          />
          <Field
            label={s.perMinute}
            className="w-28"
            inputMode="decimal"
            placeholder="0.015"
            maxLength={12}
            value={m.per_minute}
            onChange={(e) => {
              setMinute(i, { per_minute: e.target.value });
            }}
          />
          <Button
            look="quiet"
            onClick={() => {
              onChange({ ...p, minutes: p.minutes.filter((_, at) => at !== i) });
            }}
          >
            {s.remove}
          </Button>
        </div>
      ))}
      <Button
        className="mt-1"
        onClick={() => {
          onChange({ ...p, minutes: [...p.minutes, { prefix: "", per_minute: "" }] });
        }}
      >
        {s.addPrice}
      </Button>
      <div className="mt-3 grid grid-cols-4 gap-3 max-[48rem]:grid-cols-2">
        <Field
          label={s.text}
          inputMode="decimal"
          maxLength={12}
          value={p.text}
          onChange={(e) => {
            onChange({ ...p, text: e.target.value });
          }}
        />
        {usage.lines.map((l) => (
          <Field
            key={l.of}
            label={s.line(l.name)}
            inputMode="decimal"
            maxLength={12}
            value={p.lines.find((x) => x.line_id === l.of)?.month ?? ""}
            onChange={(e) => {
              const others = p.lines.filter((x) => x.line_id !== l.of);
              const month = e.target.value;
              onChange({ ...p, lines: month ? [...others, { line_id: l.of, month }] : others });
            }}
          />
        ))}
      </div>
    </section>
  );
}
