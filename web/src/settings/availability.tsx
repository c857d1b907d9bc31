import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

type State = Schemas["AvailabilityState"];
const s = t.in.settings;

/** AvailabilitySettings are what people of the firm can be doing, and what that means. */
export function AvailabilitySettings() {
  const states = useQuery(queries.states);
  const me = useQuery(queries.me).data;
  if (states.isPending || !me) return <Loading />;
  if (!states.data) return <Failed error={states.error} retry={() => void states.refetch()} />;
  return <Form states={states.data} wrap={me.firm.wrap_seconds} />;
}

function Form({ states, wrap }: { states: State[]; wrap: number }) {
  const client = useQueryClient();
  const tell = useTell();
  const [draft, setDraft] = useState(states);
  const [seconds, setSeconds] = useState(String(wrap));
  const set = (at: number, change: Partial<State>) => {
    setDraft(draft.map((x, i) => (i === at ? { ...x, ...change } : x)));
  };
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/settings/availability", {
          body: { states: draft.filter((x) => x.id !== null || x.label.trim()), wrap_seconds: Number(seconds || "0") },
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData(keys.states(), saved);
      setDraft(saved);
      void client.invalidateQueries({ queryKey: keys.me() });
      tell(s.saved);
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
      <p className="mb-3 text-quiet">{s.statesText}</p>
      <ul aria-label={s.states}>
        {draft.map((x, i) => (
          <li key={x.id ?? `new ${String(i)}`} className="flex items-center gap-4 border-b border-rule py-1.5">
            <Field
              label={s.stateName(i + 1)}
              hidden
              maxLength={40}
              className="w-56"
              value={x.label}
              onChange={(e) => {
                set(i, { label: e.target.value });
              }}
            />
            {(["takes_calls", "counts_as_work", "active"] as const).map((key) => (
              <label key={key} className="flex min-h-6 items-center gap-1.5">
                <input
                  type="checkbox"
                  checked={x[key]}
                  onChange={(e) => {
                    set(i, { [key]: e.target.checked });
                  }}
                />
                {{ takes_calls: s.takes, counts_as_work: s.work, active: s.offered }[key]}
              </label>
            ))}
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          setDraft([...draft, { id: null, label: "", takes_calls: false, counts_as_work: true, active: true }]);
        }}
      >
        {s.addState}
      </Button>
      <Field
        label={`${s.wrap} (${s.wrapHint})`}
        type="number"
        min={0}
        max={3600}
        className="mt-4 max-w-md"
        value={seconds}
        onChange={(e) => {
          setSeconds(e.target.value);
        }}
      />
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
