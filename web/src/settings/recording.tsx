import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { recordingChoices, recordingRules } from "../texts/recording";
import { longDate } from "../ui/times";
import { Button } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

type Settings = Schemas["RecordingSettings"];
type Rule = Schemas["RecordingRule"];
const r = recordingRules;
const rules: Rule[] = ["on", "announce", "ask", "off"];

/** RuleSelect chooses what happens with the sound of calls. */
export function RuleSelect({
  label,
  value,
  choices = rules,
  onChange,
}: {
  label: string;
  value: Rule;
  choices?: Rule[];
  onChange: (rule: Rule) => void;
}) {
  return (
    <Select
      label={label}
      value={value}
      onChange={(e) => {
        onChange(e.target.value as Rule);
      }}
    >
      {choices.map((x) => (
        <option key={x} value={x}>
          {recordingChoices[x]}
        </option>
      ))}
    </Select>
  );
}

/** RecordingSettings say where both sides have to agree, and for how long recordings are kept. */
export function RecordingSettings() {
  const settings = useQuery(queries.recordingSettings);
  if (settings.isPending) return <Loading />;
  if (!settings.data) return <Failed error={settings.error} retry={() => void settings.refetch()} />;
  return <Form settings={settings.data} />;
}

const day = (at: string) => longDate(at);

function Form({ settings }: { settings: Settings }) {
  const client = useQueryClient();
  const tell = useTell();
  const [draft, setDraft] = useState(settings);
  const set = (change: Partial<Settings>) => {
    setDraft({ ...draft, ...change });
  };
  const changed = draft.call_days !== settings.call_days || draft.message_days !== settings.message_days;
  const would = useQuery({
    queryKey: keys.wouldDelete(draft.call_days, draft.message_days),
    queryFn: () =>
      ask(
        api.GET("/api/settings/recording/would-delete", {
          params: { query: { call_days: draft.call_days, message_days: draft.message_days } },
        }),
      ),
    enabled: changed,
  }).data;
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/settings/recording", { body: draft })),
    onSuccess: (saved) => {
      client.setQueryData(keys.recordingSettings(), saved);
      setDraft(saved);
      tell(r.saved);
    },
  });
  const days = (key: "call_days" | "message_days", label: string) => (
    <Field
      label={label}
      type="number"
      min={0}
      max={36500}
      className="w-56"
      value={String(draft[key])}
      onChange={(e) => {
        set({ [key]: Math.max(0, Math.trunc(Number(e.target.value))) });
      }}
    />
  );
  return (
    <form
      className="max-w-3xl"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <p className="mb-3 text-quiet">{r.intro}</p>
      <div className="max-w-md">
        <RuleSelect
          label={r.everybody}
          value={draft.everybody}
          choices={["announce", "ask", "off"]}
          onChange={(everybody) => {
            set({ everybody });
          }}
        />
      </div>
      <p className="mt-1 text-sm text-quiet">{r.everybodyHint}</p>
      <div className="mt-5 flex flex-wrap gap-4">
        {days("call_days", r.callDays)}
        {days("message_days", r.messageDays)}
      </div>
      <p className="mt-1 text-sm text-quiet">{r.withoutEnd}</p>
      {changed && would && would.count > 0 && (
        <p role="status" className="mt-2 font-semibold text-waiting">
          {r.would(would.count, draft.notice_days)}
        </p>
      )}
      {settings.expiring > 0 && settings.expires_first && (
        <p className="mt-2 font-semibold text-waiting">{r.expiring(settings.expiring, day(settings.expires_first))}</p>
      )}
      <p className="mt-1 text-sm text-quiet">{r.held}</p>
      <label className="mt-5 flex min-h-6 items-center gap-2">
        <input
          type="checkbox"
          checked={draft.prepared_consent ?? false}
          onChange={(e) => {
            set({ prepared_consent: e.target.checked });
          }}
        />
        {r.consent}
      </label>
      <label className="mt-2 flex min-h-6 items-center gap-2">
        <input
          type="checkbox"
          checked={draft.listen_untold ?? false}
          onChange={(e) => {
            set({ listen_untold: e.target.checked });
          }}
        />
        {r.untold}
      </label>
      <label className="mt-2 flex min-h-6 items-center gap-2">
        <input
          type="checkbox"
          checked={draft.consultations ?? false}
          onChange={(e) => {
            set({ consultations: e.target.checked });
          }}
        />
        {r.consultations}
      </label>
      <h2 className="mt-5 mb-1 border-b border-rule-strong pb-1 text-quiet">{r.reps}</h2>
      <ul aria-label={r.reps}>
        {draft.reps.map((x) => (
          <li key={x.id} className="flex items-center gap-4 border-b border-rule py-1.5">
            <span className="w-56">{x.name}</span>
            <Select
              label={x.name}
              hidden
              value={x.rule}
              onChange={(e) => {
                set({ reps: draft.reps.map((y) => (y.id === x.id ? { ...y, rule: e.target.value } : y)) });
              }}
            >
              <option value="">{r.asLine}</option>
              {rules.map((rule) => (
                <option key={rule} value={rule}>
                  {recordingChoices[rule]}
                </option>
              ))}
            </Select>
          </li>
        ))}
      </ul>
      {save.error && (
        <p role="alert" className="mt-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="mt-3" disabled={save.isPending}>
        {r.save}
      </Button>
    </form>
  );
}
