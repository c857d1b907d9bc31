import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area, Field, Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { SoundInput } from "../calls/sound_input";

type Message = Schemas["PreparedMessage"];
const p = t.voice.prepared;

/** PreparedSettings are the messages that reps leave on voicemails. */
export function PreparedSettings() {
  const messages = useQuery(queries.prepared);
  if (messages.isPending) return <Loading />;
  if (!messages.data) return <Failed error={messages.error} retry={() => void messages.refetch()} />;
  return <Form messages={messages.data} />;
}

function Form({ messages }: { messages: Message[] }) {
  const client = useQueryClient();
  const tell = useTell();
  const [draft, setDraft] = useState(messages);
  const set = (at: number, change: Partial<Message>) => {
    setDraft(draft.map((x, i) => (i === at ? { ...x, ...change } : x)));
  };
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/prepared-messages", {
          body: { messages: draft.filter((x) => x.id !== null || x.name.trim() || x.text.trim()) },
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData(keys.prepared(), saved);
      setDraft(saved);
      tell(p.saved);
    },
  });
  return (
    <form
      className="max-w-3xl"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <p className="mb-3 text-quiet">{p.intro}</p>
      {draft.length === 0 && <Empty>{p.none}</Empty>}
      <ul aria-label={p.tab}>
        {draft.map((x, i) => (
          <li key={x.id ?? `new ${String(i)}`} className="flex items-start gap-4 border-b border-rule py-2">
            <Field
              label={p.name(i + 1)}
              maxLength={60}
              className="w-52"
              value={x.name}
              onChange={(e) => {
                set(i, { name: e.target.value });
              }}
            />
            <div className="flex-1">
              <Area
                label={p.text}
                rows={2}
                maxLength={1000}
                value={x.text}
                onChange={(e) => {
                  set(i, { text: e.target.value });
                }}
              />
              <SoundInput
                text={x.text}
                sound={x.sound_id ?? null}
                onChange={(id) => {
                  set(i, { sound_id: id });
                }}
              />
              <When
                message={x}
                onChange={(change) => {
                  set(i, change);
                }}
              />
            </div>
            <label className="flex min-h-8 items-center gap-1.5 pt-5">
              <input
                type="checkbox"
                checked={x.active}
                onChange={(e) => {
                  set(i, { active: e.target.checked });
                }}
              />
              {p.active}
            </label>
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          setDraft([...draft, { id: null, name: "", text: "", active: true }]);
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

/** When says for which calls a message is chosen. */
function When({ message: m, onChange }: { message: Message; onChange: (change: Partial<Message>) => void }) {
  const lists = useQuery(queries.lists).data ?? [];
  const outcomes = useQuery(queries.me).data?.outcomes ?? [];
  const days = m.weekdays ?? [];
  return (
    <fieldset className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
      <legend className="sr-only">{p.when}</legend>
      <span className="flex gap-2">
        {p.weekdays.map((word, i) => (
          <label key={word} className="flex min-h-6 items-center gap-1 text-sm">
            <input
              type="checkbox"
              checked={days.length === 0 || days.includes(i + 1)}
              onChange={(e) => {
                const all = days.length === 0 ? [1, 2, 3, 4, 5, 6, 7] : days;
                const next = e.target.checked ? [...all, i + 1].sort() : all.filter((d) => d !== i + 1);
                onChange({ weekdays: next.length === 7 ? [] : next });
              }}
            />
            {word}
          </label>
        ))}
      </span>
      <Select
        label={p.anyList}
        hidden
        className="w-52"
        value={m.list_id ?? ""}
        onChange={(e) => {
          onChange({ list_id: e.target.value || null });
        }}
      >
        <option value="">{p.anyList}</option>
        {lists.map((l) => (
          <option key={l.id} value={l.id}>
            {p.onList(l.name)}
          </option>
        ))}
      </Select>
      <Select
        label={p.anyOutcome}
        hidden
        className="w-52"
        value={m.outcome_id ?? ""}
        onChange={(e) => {
          onChange({ outcome_id: e.target.value || null });
        }}
      >
        <option value="">{p.anyOutcome}</option>
        {outcomes.map((o) => (
          <option key={o.id} value={o.id}>
            {p.afterOutcome(o.label)}
          </option>
        ))}
      </Select>
    </fieldset>
  );
}
