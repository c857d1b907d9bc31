import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { insight } from "../texts/insight";
import { Button, IconButton } from "../ui/button";
import { Check, Field } from "../ui/field";
import { Cross } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";
import { ListFrame } from "./list_frame";

const x = insight.cards;

type Card = Schemas["Scorecard"];
type Question = Schemas["ScoreQuestion"];
type Edited = Omit<Card, "id"> & { id?: string };

const question: Question = { id: "", text: "", help: "", points: 5, must: false };
const fresh: Edited = { name: "", questions: [question], call_types: [], active: true, version: 0 };
const words = { none: x.none, add: x.add, off: insight.topics.off };

/** ScorecardSettings are the questions by which calls are scored. */
export function ScorecardSettings() {
  const cards = useQuery(queries.scorecards);
  if (cards.isPending) return <Loading />;
  if (!cards.data) return <Failed error={cards.error} retry={() => void cards.refetch()} />;
  return (
    <ListFrame<Edited>
      label={x.title}
      intro={x.help}
      items={cards.data}
      fresh={fresh}
      words={words}
      form={(card, onSaved) => <Form card={card} onSaved={onSaved} />}
    />
  );
}

function Form({ card, onSaved }: { card: Edited; onSaved: (id: string | undefined) => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const types = useQuery(queries.me).data?.call_types ?? [];
  const { draft, setDraft, saved: isSaved, notice } = useDraft(`scorecard ${card.id ?? "new"}`, card);
  const asked = draft.questions.filter((q) => q.text.trim());
  const save = useMutation({
    mutationFn: () => {
      const body: Schemas["ScorecardToSave"] = {
        name: draft.name,
        questions: asked,
        call_types: draft.call_types,
        active: draft.active,
        version: card.version,
      };
      return card.id
        ? ask(api.PUT("/api/scorecards/{id}", { params: { path: { id: card.id } }, body }))
        : ask(api.POST("/api/scorecards", { body }));
    },
    onSuccess: (kept) => {
      isSaved(card.id ? kept : fresh);
      refresh(client, keys.scorecards());
      onSaved(kept.id);
      tell(x.saved(kept.name));
    },
    onError: () => {
      refresh(client, keys.scorecards());
    },
  });
  const put = (i: number, change: Partial<Question>) => {
    setDraft({ ...draft, questions: draft.questions.map((q, n) => (n === i ? { ...q, ...change } : q)) });
  };
  return (
    <form
      aria-label={draft.name || x.add}
      className="flex max-w-3xl flex-col gap-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (draft.name.trim() && asked.length > 0 && !save.isPending) save.mutate();
      }}
    >
      {notice}
      <Field
        label={x.name}
        className="w-72"
        maxLength={60}
        value={draft.name}
        onChange={(e) => {
          setDraft({ ...draft, name: e.target.value });
        }}
      />
      <ol className="flex flex-col gap-2" data-testid="questions">
        {draft.questions.map((q, i) => (
          <li key={i} className="flex flex-wrap items-end gap-x-3 gap-y-1 border-t border-rule pt-2">
            <Field
              label={x.question}
              className="w-72"
              maxLength={200}
              value={q.text}
              onChange={(e) => {
                put(i, { text: e.target.value });
              }}
            />
            <Field
              label={x.questionHelp}
              className="w-56"
              maxLength={400}
              value={q.help ?? ""}
              onChange={(e) => {
                put(i, { help: e.target.value });
              }}
            />
            <Field
              label={x.points}
              type="number"
              min={1}
              max={100}
              className="w-20"
              value={String(q.points)}
              onChange={(e) => {
                put(i, { points: Math.max(1, Math.min(100, Math.round(Number(e.target.value) || 1))) });
              }}
            />
            <Check
              label={x.must}
              checked={q.must}
              onChange={(must) => {
                put(i, { must });
              }}
            />
            {draft.questions.length > 1 && (
              <IconButton
                label={x.removeQuestion}
                onClick={() => {
                  setDraft({ ...draft, questions: draft.questions.filter((_, n) => n !== i) });
                }}
              >
                <Cross />
              </IconButton>
            )}
          </li>
        ))}
      </ol>
      <span className="flex items-center gap-4">
        <Button
          onClick={() => {
            setDraft({ ...draft, questions: [...draft.questions, question] });
          }}
        >
          {x.addQuestion}
        </Button>
        <span className="text-quiet">{x.total(asked.reduce((n, q) => n + q.points, 0))}</span>
      </span>
      <fieldset className="flex flex-wrap gap-x-4">
        <legend className="text-sm text-quiet">
          {x.types} {draft.call_types.length === 0 && `(${x.allTypes})`}
        </legend>
        {types.map((y) => (
          <Check
            key={y.id}
            label={y.label}
            checked={draft.call_types.includes(y.id)}
            onChange={(on) => {
              setDraft({
                ...draft,
                call_types: on ? [...draft.call_types, y.id] : draft.call_types.filter((id) => id !== y.id),
              });
            }}
          />
        ))}
      </fieldset>
      <Check
        label={x.active}
        checked={draft.active}
        onChange={(active) => {
          setDraft({ ...draft, active });
        }}
      />
      {save.error && (
        <p role="alert" className="text-ending">
          {save.error.message}
        </p>
      )}
      <span>
        <Button look="ours" type="submit" disabled={!draft.name.trim() || asked.length === 0 || save.isPending}>
          {x.save}
        </Button>
      </span>
    </form>
  );
}
