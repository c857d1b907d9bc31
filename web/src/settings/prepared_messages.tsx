import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { Button } from "../ui/button";
import { Area, Field } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

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
      client.setQueryData(["prepared"], saved);
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
