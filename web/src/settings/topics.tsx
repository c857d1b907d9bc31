import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { insight } from "../texts/insight";
import { Button, IconButton } from "../ui/button";
import { duration } from "../ui/clock";
import { Check, Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";
import { ListFrame } from "./list_frame";

const x = insight.topics;

type Topic = Schemas["Topic"];
type Phrase = Schemas["TopicPhrase"];
type Edited = Omit<Topic, "id"> & { id?: string };

const empty: Phrase = { words: "", near: 0, any_order: false, by: "", when: "", not: false };
const fresh: Edited = { name: "", group: "", phrases: [empty], active: true, version: 0, calls: 0 };

/** TopicSettings are the topics that are looked for in what is said. */
export function TopicSettings() {
  const topics = useQuery(queries.topics);
  if (topics.isPending) return <Loading />;
  if (!topics.data) return <Failed error={topics.error} retry={() => void topics.refetch()} />;
  return (
    <ListFrame<Edited>
      label={x.title}
      intro={x.help}
      items={topics.data}
      fresh={fresh}
      words={x}
      aside={(topic) => (
        <span className="block text-sm text-quiet">
          {[topic.group, x.lately(topic.calls)].filter(Boolean).join(" · ")}
        </span>
      )}
      form={(topic, onSaved) => <Form topic={topic} onSaved={onSaved} />}
    />
  );
}

function Form({ topic, onSaved }: { topic: Edited; onSaved: (id: string | undefined) => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved: isSaved, notice } = useDraft(`topic ${topic.id ?? "new"}`, topic);
  const body = (): Schemas["TopicToSave"] => ({
    name: draft.name,
    group: draft.group,
    phrases: draft.phrases.filter((p) => p.words.trim()),
    active: draft.active,
    version: topic.version,
  });
  const save = useMutation({
    mutationFn: () =>
      topic.id
        ? ask(api.PUT("/api/topics/{id}", { params: { path: { id: topic.id } }, body: body() }))
        : ask(api.POST("/api/topics", { body: body() })),
    onSuccess: (kept) => {
      isSaved(topic.id ? kept : fresh);
      refresh(client, keys.topics());
      onSaved(kept.id);
      tell(x.saved(kept.name));
    },
    onError: () => {
      refresh(client, keys.topics());
    },
  });
  const trial = useMutation({
    mutationFn: () => ask(api.POST("/api/topics/try", { body: { ...body(), name: "trial" } })),
  });
  const ready = draft.phrases.some((p) => p.words.trim());
  const put = (i: number, change: Partial<Phrase>) => {
    setDraft({ ...draft, phrases: draft.phrases.map((p, n) => (n === i ? { ...p, ...change } : p)) });
  };
  return (
    <form
      aria-label={draft.name || x.add}
      className="flex max-w-3xl flex-col gap-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (draft.name.trim() && ready && !save.isPending) save.mutate();
      }}
    >
      {notice}
      <div className="flex gap-4">
        <Field
          label={x.name}
          maxLength={60}
          value={draft.name}
          onChange={(e) => {
            setDraft({ ...draft, name: e.target.value });
          }}
        />
        <Field
          label={x.group}
          maxLength={60}
          value={draft.group}
          onChange={(e) => {
            setDraft({ ...draft, group: e.target.value });
          }}
        />
      </div>
      <ol className="flex flex-col gap-2" data-testid="phrases">
        {draft.phrases.map((p, i) => (
          <li key={i} className="border-t border-rule pt-2">
            <PhraseFields
              phrase={p}
              only={draft.phrases.length === 1}
              onChange={(change) => {
                put(i, change);
              }}
              onRemove={() => {
                setDraft({ ...draft, phrases: draft.phrases.filter((_, n) => n !== i) });
              }}
            />
          </li>
        ))}
      </ol>
      <span>
        <Button
          onClick={() => {
            setDraft({ ...draft, phrases: [...draft.phrases, empty] });
          }}
        >
          {x.addPhrase}
        </Button>
      </span>
      <Check
        label={x.active}
        checked={draft.active}
        onChange={(active) => {
          setDraft({ ...draft, active });
        }}
      />
      {(save.error ?? trial.error) && (
        <p role="alert" className="text-ending">
          {(save.error ?? trial.error)?.message}
        </p>
      )}
      <span className="flex gap-2">
        <Button look="ours" type="submit" disabled={!draft.name.trim() || !ready || save.isPending}>
          {x.save}
        </Button>
        <Button
          disabled={!ready || trial.isPending}
          onClick={() => {
            trial.mutate();
          }}
        >
          {x.tryIt}
        </Button>
      </span>
      {trial.data && <Trial trial={trial.data} />}
    </form>
  );
}

function PhraseFields({
  phrase: p,
  only,
  onChange,
  onRemove,
}: {
  phrase: Phrase;
  only: boolean;
  onChange: (change: Partial<Phrase>) => void;
  onRemove: () => void;
}) {
  return (
    <div className="flex flex-wrap items-end gap-x-3 gap-y-1">
      <Field
        label={x.phrase}
        className="w-56"
        maxLength={200}
        value={p.words}
        onChange={(e) => {
          onChange({ words: e.target.value });
        }}
      />
      <Field
        label={x.near}
        type="number"
        min={0}
        max={30}
        className="w-28"
        value={String(p.near ?? 0)}
        onChange={(e) => {
          onChange({ near: Math.max(0, Math.min(30, Math.round(Number(e.target.value) || 0))) });
        }}
      />
      <Select
        label={x.by}
        value={p.by ?? ""}
        onChange={(e) => {
          onChange({ by: e.target.value as NonNullable<Phrase["by"]> });
        }}
      >
        {Object.entries(x.sides).map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </Select>
      <Select
        label={x.when}
        value={p.when ?? ""}
        onChange={(e) => {
          onChange({ when: e.target.value as NonNullable<Phrase["when"]> });
        }}
      >
        {Object.entries(x.whens).map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </Select>
      <Check
        label={x.anyOrder}
        checked={p.any_order ?? false}
        onChange={(on) => {
          onChange({ any_order: on });
        }}
      />
      <Check
        label={x.not}
        checked={p.not ?? false}
        onChange={(on) => {
          onChange({ not: on });
        }}
      />
      {!only && (
        <IconButton label={x.removePhrase} onClick={onRemove}>
          <Cross />
        </IconButton>
      )}
    </div>
  );
}

function Trial({ trial }: { trial: Schemas["TopicTrial"] }) {
  return (
    <div data-testid="trial">
      <p className="font-semibold">{x.tried(trial.found, trial.looked_at)}</p>
      <ul className="text-sm">
        {trial.places.map((p) => (
          <li key={`${p.call_id}${String(p.at_ms)}`} className="flex gap-3 border-t border-rule py-1">
            <Link to="/calls/$id" params={{ id: p.call_id }} search={{ at: p.at_ms / 1000 }} className="underline">
              {duration(p.at_ms)}
            </Link>
            <span className={p.ours ? "text-ours" : "text-theirs"}>{p.ours ? x.sides.ours : x.sides.theirs}</span>
            <span>{p.text}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
