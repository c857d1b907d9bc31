import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useBook } from "../book/values";
import { ColleaguePick } from "../team/colleague_pick";
import { t } from "../texts";
import { routes as r } from "../texts/routes";
import { Days } from "../ui/days";
import { WeekHours } from "../ui/week_hours";
import { Button } from "../ui/button";
import { Badge, Chip } from "../ui/chip";
import { Area, Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { SoundInput } from "../calls/sound_input";
import { RuleSelect } from "./recording";

type Line = Schemas["FirmLine"];
const s = t.in.settings;

/** LineSettings are whom each line rings, when it is open, and what follows. */
export function LineSettings() {
  const lines = useQuery(queries.lines);
  const [chosen, setChosen] = useState<string>();
  if (lines.isPending) return <Loading />;
  if (!lines.data) return <Failed error={lines.error} retry={() => void lines.refetch()} />;
  const line = lines.data.find((l) => l.id === chosen) ?? lines.data[0];
  return (
    <div>
      <p className="mb-3 text-quiet">{s.lineText}</p>
      <div className="flex gap-6 max-[63.9rem]:flex-col">
        <div className="w-64 shrink-0">
          <ul aria-label={s.tabs["lines"]}>
            {lines.data.map((l) => (
              <li key={l.id} className="border-b border-rule">
                <button
                  type="button"
                  aria-current={l.id === line?.id}
                  className={`block min-h-10 w-full px-1.5 py-1 text-left hover:bg-rule/40 ${l.id === line?.id ? "bg-ours-soft" : ""}`}
                  onClick={() => {
                    setChosen(l.id);
                  }}
                >
                  <span className="flex items-baseline justify-between gap-2">
                    <span className="name truncate">{l.label}</span>
                    <Badge tone={l.open ? "theirs" : "quiet"}>{l.open ? s.open : s.shut}</Badge>
                  </span>
                  <span className="text-sm text-quiet">{l.display}</span>
                </button>
              </li>
            ))}
          </ul>
          <NewLine onAdded={setChosen} />
        </div>
        {line && <LineForm key={`${line.id} ${String(line.version)}`} line={line} />}
      </div>
    </div>
  );
}

function NewLine({ onAdded }: { onAdded: (id: string) => void }) {
  const client = useQueryClient();
  const [number, setNumber] = useState("");
  const [label, setLabel] = useState("");
  const add = useMutation({
    mutationFn: () => ask(api.POST("/api/settings/lines", { body: { number, label } })),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: keys.lines() });
      setNumber("");
      setLabel("");
      onAdded(made.id);
    },
  });
  return (
    <form
      className="mt-3 flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (number.trim() && label.trim()) add.mutate();
      }}
    >
      <Field
        label={s.number}
        value={number}
        problem={add.error?.message}
        onChange={(e) => {
          setNumber(e.target.value);
        }}
      />
      <Field
        label={s.label}
        maxLength={60}
        value={label}
        onChange={(e) => {
          setLabel(e.target.value);
        }}
      />
      <Button type="submit" className="self-start" disabled={!number.trim() || !label.trim() || add.isPending}>
        {s.addLine}
      </Button>
    </form>
  );
}

/** ByRoute lets a line go by a route that is live, or by its own rule, which the form beneath says. */
function ByRoute({ line }: { line: Line }) {
  const client = useQueryClient();
  const tell = useTell();
  const routes = (useQuery(queries.routes).data ?? []).filter((x) => x.live !== undefined);
  const [chosen, setChosen] = useState(line.route_id ?? "");
  const set = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/settings/lines/{id}/route", {
          params: { path: { id: line.id } },
          body: { route_id: chosen || null },
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData<Line[]>(keys.lines(), (all) => all?.map((l) => (l.id === saved.id ? saved : l)));
      void client.invalidateQueries({ queryKey: keys.routes() });
      tell(s.saved);
    },
  });
  return (
    <div className="col-span-2 flex flex-wrap items-end gap-2 border-b border-rule pb-2.5">
      <Select
        label={r.byRoute}
        className="w-72"
        value={chosen}
        onChange={(e) => {
          setChosen(e.target.value);
        }}
      >
        <option value="">{r.byRule}</option>
        {routes.map((x) => (
          <option key={x.id} value={x.id}>
            {r.byThis(x.name)}
          </option>
        ))}
      </Select>
      <Button
        disabled={chosen === (line.route_id ?? "") || set.isPending}
        onClick={() => {
          set.mutate();
        }}
      >
        {r.change}
      </Button>
      {line.route_id && <span className="pb-1 text-sm text-quiet">{r.routeRules}</span>}
      {set.error && (
        <p role="alert" className="w-full text-ending">
          {set.error.message}
        </p>
      )}
    </div>
  );
}

function LineForm({ line }: { line: Line }) {
  const client = useQueryClient();
  const tell = useTell();
  const people = useBook().people;
  const [draft, setDraft] = useState(line);
  const set = (change: Partial<Line>) => {
    setDraft({ ...draft, ...change });
  };
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/settings/lines/{id}", {
          params: { path: { id: line.id } },
          body: draft,
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData<Line[]>(keys.lines(), (all) => all?.map((l) => (l.id === saved.id ? saved : l)));
      tell(s.saved);
    },
  });
  const wrong = save.error instanceof Failure ? save.error.problem?.field : undefined;
  const problem = (field: string) => (wrong === field ? save.error?.message : undefined);
  const named = ["label", "hours", "off", "limit_seconds", "zone"];
  const text = (key: "label" | "source" | "zone" | "greeting" | "closed_text") => ({
    value: draft[key],
    problem: problem(key),
    onChange: (e: { target: { value: string } }) => {
      set({ [key]: e.target.value });
    },
  });
  return (
    <form
      aria-label={`${s.line}: ${line.label}`}
      className="grid min-w-0 flex-1 grid-cols-2 content-start gap-x-4 gap-y-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <Field label={s.label} maxLength={60} {...text("label")} />
      <Field label={s.source} maxLength={120} {...text("source")} />
      <ByRoute line={line} />
      <Select
        label={s.mode}
        value={draft.ring_mode}
        onChange={(e) => {
          set({ ring_mode: e.target.value as Line["ring_mode"] });
        }}
      >
        {Object.entries(s.modes).map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </Select>
      <div className="grid grid-cols-2 gap-3">
        <Field
          label={s.rings}
          type="number"
          min={5}
          max={120}
          value={draft.ring_seconds}
          onChange={(e) => {
            set({ ring_seconds: Number(e.target.value) });
          }}
        />
        <Field
          label={s.limit}
          type="number"
          min={5}
          max={600}
          value={draft.limit_seconds}
          problem={problem("limit_seconds")}
          onChange={(e) => {
            set({ limit_seconds: Number(e.target.value) });
          }}
        />
      </div>
      <div className="col-span-2">
        <p className="mb-1 text-sm text-quiet">{s.reps}</p>
        <div className="flex flex-wrap items-center gap-1.5">
          {draft.reps.length === 0 && <span>{s.everyRep}</span>}
          {draft.reps.map((id) => {
            const name = people.find((p) => p.id === id)?.name ?? id;
            return (
              <Chip
                key={id}
                removeLabel={s.remove(name)}
                remove={() => {
                  set({ reps: draft.reps.filter((x) => x !== id) });
                }}
              >
                {name}
              </Chip>
            );
          })}
          <ColleaguePick
            label={s.addRep}
            hidden
            value=""
            only={(c) => !draft.reps.includes(c.id)}
            onChange={(id) => {
              set({ reps: [...draft.reps, id] });
            }}
          />
        </div>
      </div>
      <div className="col-span-2">
        <WeekHours
          label={s.hours}
          value={draft.hours}
          problem={problem("hours")}
          onChange={(hours) => {
            set({ hours });
          }}
        />
      </div>
      <div className="col-span-2">
        <Days
          label={s.off}
          value={draft.off}
          problem={problem("off")}
          onChange={(off) => {
            set({ off });
          }}
        />
      </div>
      <Select
        label={s.unanswered}
        value={draft.unanswered}
        onChange={(e) => {
          set({ unanswered: e.target.value as Line["unanswered"] });
        }}
      >
        {(["voicemail", "announcement", "end"] as const).map((x) => (
          <option key={x} value={x}>
            {s.follows[x]}
          </option>
        ))}
      </Select>
      <Select
        label={s.closed}
        value={draft.closed}
        onChange={(e) => {
          set({ closed: e.target.value as Line["closed"] });
        }}
      >
        {(["announcement", "voicemail"] as const).map((x) => (
          <option key={x} value={x}>
            {s.follows[x]}
          </option>
        ))}
      </Select>
      <Area label={`${s.lineGreeting} (${s.lineGreetingHint})`} rows={2} maxLength={2000} {...text("greeting")} />
      <div className="col-span-2">
        <SoundInput
          text={draft.greeting}
          sound={draft.greeting_sound_id ?? null}
          onChange={(id) => {
            setDraft({ ...draft, greeting_sound_id: id });
          }}
        />
      </div>
      <Area label={`${s.closedText} (${s.closedHint})`} rows={2} maxLength={2000} {...text("closed_text")} />
      <RuleSelect
        label={t.voice.lineRecording}
        value={draft.recording}
        onChange={(recording) => {
          set({ recording });
        }}
      />
      <RuleSelect
        label={t.voice.lineRecordingIn}
        value={draft.recording_in}
        onChange={(recording_in) => {
          set({ recording_in });
        }}
      />
      <Select
        label={t.after.texting.label}
        value={draft.texting ?? "none"}
        onChange={(e) => {
          set({ texting: e.target.value as NonNullable<typeof draft.texting> });
        }}
      >
        {(["none", "asked", "approved", "refused"] as const).map((x) => (
          <option key={x} value={x}>
            {t.after.texting.states[x]}
          </option>
        ))}
      </Select>
      <Field label={s.zone} {...text("zone")} />
      <label className="flex items-center gap-2 self-end pb-1">
        <input
          type="checkbox"
          checked={draft.active}
          onChange={(e) => {
            set({ active: e.target.checked });
          }}
        />
        {s.active}
      </label>
      {save.error && !named.includes(wrong ?? "") && (
        <p role="alert" className="col-span-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="justify-self-start" disabled={save.isPending}>
        {s.save}
      </Button>
    </form>
  );
}
