import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { survey as y } from "../texts/survey";
import { Button, IconButton } from "../ui/button";
import { Chip } from "../ui/chip";
import { Area, Check, Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";
import { SpokenTexts } from "./spoken_texts";

type Survey = Schemas["SurveySettings"];
type Question = Schemas["SurveyQuestion"];

/** SurveySettings are what customers are asked after a conversation. */
export function SurveySettings() {
  const survey = useQuery(queries.survey);
  if (survey.isPending) return <Loading />;
  if (!survey.data) return <Failed error={survey.error} retry={() => void survey.refetch()} />;
  return <Form survey={survey.data} />;
}

function Form({ survey }: { survey: Survey }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved: isSaved, notice } = useDraft("survey", survey);
  const set = (change: Partial<Survey>) => {
    setDraft({ ...draft, ...change });
  };
  const change = (at: number, next: Partial<Question>) => {
    set({ questions: draft.questions.map((q, i) => (i === at ? { ...q, ...next } : q)) });
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/settings/survey", { body: draft })),
    onSuccess: (saved) => {
      client.setQueryData(keys.survey(), saved);
      isSaved(saved);
      tell(y.saved);
    },
  });
  return (
    <form
      className="flex max-w-3xl flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <p className="text-quiet">{y.intro}</p>
      {notice}
      <Check
        label={y.active}
        checked={draft.active}
        onChange={(active) => {
          set({ active });
        }}
      />
      <Lines survey={draft} set={set} />
      <div className="grid grid-cols-2 gap-4">
        <Field
          label={y.share}
          type="number"
          min={1}
          max={100}
          value={draft.share}
          onChange={(e) => {
            set({ share: Number(e.target.value) });
          }}
        />
        <Field
          label={y.everyDays}
          type="number"
          min={0}
          max={365}
          value={draft.every_days}
          onChange={(e) => {
            set({ every_days: Number(e.target.value) });
          }}
        />
      </div>
      <SpokenTexts
        label={y.hello}
        texts={draft.hello}
        onChange={(hello) => {
          set({ hello });
        }}
      />
      <ol className="flex flex-col gap-2">
        {draft.questions.map((q, i) => (
          <li key={q.id} className="flex items-start gap-3 border-t border-rule pt-2">
            <SpokenTexts
              label={y.question(i + 1)}
              texts={q.texts}
              onChange={(texts) => {
                change(i, { texts });
              }}
            />
            <Select
              label={y.kind(i + 1)}
              className="w-44"
              value={q.kind}
              onChange={(e) => {
                change(i, { kind: e.target.value as Question["kind"] });
              }}
            >
              {Object.entries(y.kinds).map(([kind, label]) => (
                <option key={kind} value={kind}>
                  {label}
                </option>
              ))}
            </Select>
            <IconButton
              label={y.remove(i + 1)}
              className="mt-6"
              onClick={() => {
                set({ questions: draft.questions.filter((_, k) => k !== i) });
              }}
            >
              <Cross />
            </IconButton>
          </li>
        ))}
      </ol>
      {draft.questions.length < 10 && (
        <Button
          className="self-start"
          onClick={() => {
            const id = `q${String(draft.questions.length + 1)}-${crypto.randomUUID().slice(0, 8)}`;
            set({ questions: [...draft.questions, { id, kind: "yes_no", texts: { en: "" } }] });
          }}
        >
          {y.add}
        </Button>
      )}
      <SpokenTexts
        label={y.thanks}
        texts={draft.thanks}
        onChange={(thanks) => {
          set({ thanks });
        }}
      />
      <Check
        label={y.byText}
        checked={draft.by_text ?? false}
        onChange={(by_text) => {
          set({ by_text });
        }}
      />
      {draft.by_text && (
        <div className="grid grid-cols-2 gap-4">
          <Area
            label={y.text}
            rows={3}
            maxLength={300}
            value={draft.text ?? ""}
            onChange={(e) => {
              set({ text: e.target.value });
            }}
          />
          <Area
            label={y.textWhy}
            rows={3}
            maxLength={300}
            value={draft.text_why ?? ""}
            onChange={(e) => {
              set({ text_why: e.target.value });
            }}
          />
        </div>
      )}
      {save.error && (
        <p role="alert" className="text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="self-start" disabled={save.isPending}>
        {y.save}
      </Button>
    </form>
  );
}

function Lines({ survey, set }: { survey: Survey; set: (change: Partial<Survey>) => void }) {
  const lines = useQuery(queries.lines).data ?? [];
  return (
    <div>
      <p className="mb-1 text-sm text-quiet">{y.lines}</p>
      <div className="flex flex-wrap items-center gap-1.5">
        {survey.lines.length === 0 && <span>{y.everyLine}</span>}
        {survey.lines.map((id) => {
          const name = lines.find((l) => l.id === id)?.label ?? id;
          return (
            <Chip
              key={id}
              removeLabel={y.removeLine(name)}
              remove={() => {
                set({ lines: survey.lines.filter((x) => x !== id) });
              }}
            >
              {name}
            </Chip>
          );
        })}
        <Select
          label={y.addLine}
          hidden
          value=""
          onChange={(e) => {
            if (e.target.value) set({ lines: [...survey.lines, e.target.value] });
          }}
        >
          <option value="">{y.addLine}</option>
          {lines
            .filter((l) => !survey.lines.includes(l.id))
            .map((l) => (
              <option key={l.id} value={l.id}>
                {l.label}
              </option>
            ))}
        </Select>
      </div>
    </div>
  );
}
