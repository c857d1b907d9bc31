import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Check, Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";
import { AfterFields } from "./effect_form";

type Sequence = Schemas["Sequence"];
type Step = Schemas["SequenceStep"];
const p = t.after.sequences;

/** SequenceSettings are the steps over days by which somebody is called and written to until they answer. */
export function SequenceSettings() {
  const sequences = useQuery(queries.sequences);
  if (sequences.isPending) return <Loading />;
  if (!sequences.data) return <Failed error={sequences.error} retry={() => void sequences.refetch()} />;
  return <Form sequences={sequences.data} />;
}

function Form({ sequences }: { sequences: Sequence[] }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved: isSaved, notice } = useDraft("sequences", sequences);
  const set = (at: number, change: Partial<Sequence>) => {
    setDraft(draft.map((x, i) => (i === at ? { ...x, ...change } : x)));
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/sequences", { body: { sequences: draft } })),
    onSuccess: (saved) => {
      client.setQueryData(keys.sequences(), saved);
      isSaved(saved);
      tell(p.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.sequences() }),
  });
  return (
    <form
      className="max-w-4xl"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <p className="mb-3 text-quiet">{p.intro}</p>
      {notice}
      {draft.length === 0 && <Empty>{p.none}</Empty>}
      <ul aria-label={p.tab}>
        {draft.map((x, i) => (
          <li key={x.id ?? `new ${String(i)}`} className="border-b border-rule-strong py-3">
            <div className="flex items-end gap-5">
              <Field
                label={p.name(i + 1)}
                maxLength={60}
                className="w-64"
                value={x.name}
                onChange={(e) => {
                  set(i, { name: e.target.value });
                }}
              />
              <Check
                label={p.active}
                checked={x.active}
                onChange={(active) => {
                  set(i, { active });
                }}
              />
              <span className="pb-1 text-sm text-quiet">{p.members(x.members ?? 0)}</span>
            </div>
            <ol className="mt-2">
              {x.steps.map((s, j) => (
                <StepForm
                  key={j}
                  step={s}
                  place={j + 1}
                  onChange={(next) => {
                    set(i, {
                      steps: next ? x.steps.map((y, k) => (k === j ? next : y)) : x.steps.filter((_, k) => k !== j),
                    });
                  }}
                />
              ))}
            </ol>
            <Button
              className="mt-2"
              disabled={x.steps.length >= 20}
              onClick={() => {
                set(i, {
                  steps: [...x.steps, { act: "call", count: 2, unit: "business_days", at: 10 * 60, text: "" }],
                });
              }}
            >
              {p.addStep}
            </Button>
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          setDraft([...draft, { id: null, name: "", active: true, steps: [] }]);
        }}
      >
        {p.add}
      </Button>
      {save.error && (
        <p role="alert" className="mt-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="mt-3 ml-3" disabled={save.isPending}>
        {p.save}
      </Button>
    </form>
  );
}

function StepForm({
  step: s,
  place,
  onChange,
}: {
  step: Step;
  place: number;
  onChange: (next: Step | undefined) => void;
}) {
  const templates = (useQuery(queries.templates).data ?? []).filter((x) => x.channel === s.act);
  return (
    <li className="flex flex-wrap items-center gap-2 border-b border-rule py-1.5">
      <span className="w-6 text-quiet">{place}</span>
      <AfterFields
        after={s}
        onChange={(change) => {
          onChange({ ...s, ...change });
        }}
      />
      <Select
        label={p.act}
        hidden
        className="w-36"
        value={s.act}
        onChange={(e) => {
          onChange({ ...s, act: e.target.value as Step["act"], template_id: null });
        }}
      >
        {(["call", "mail", "text"] as const).map((a) => (
          <option key={a} value={a}>
            {p.acts[a]}
          </option>
        ))}
      </Select>
      {s.act === "call" ? (
        <Field
          label={p.text}
          hidden
          placeholder={p.text}
          maxLength={500}
          className="min-w-40 flex-1"
          value={s.text ?? ""}
          onChange={(e) => {
            onChange({ ...s, text: e.target.value });
          }}
        />
      ) : (
        <Select
          label={p.template}
          hidden
          className="w-52"
          value={s.template_id ?? ""}
          onChange={(e) => {
            onChange({ ...s, template_id: e.target.value || null });
          }}
        >
          <option value="">{p.template}</option>
          {templates.map((x) => (
            <option key={x.id} value={x.id ?? ""}>
              {x.name}
            </option>
          ))}
        </Select>
      )}
      <IconButton
        label={p.removeStep(place)}
        className="ml-auto"
        onClick={() => {
          onChange(undefined);
        }}
      >
        <Cross />
      </IconButton>
    </li>
  );
}
