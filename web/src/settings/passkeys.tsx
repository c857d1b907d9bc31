import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { keys, refresh } from "../api/keys";
import { canPasskeys, makePasskey } from "../api/passkeys";
import { queries } from "../api/queries";
import { why } from "../shell/ways_in";
import { waysIn } from "../texts/ways_in";
import { Button, IconButton } from "../ui/button";
import { Field } from "../ui/field";
import { Cross } from "../ui/icons";
import { dayShort, longDate } from "../ui/times";
import { useTell } from "../ui/toast";

const w = waysIn.passkeys;

/** OwnPasskeys are those with which one gets in. */
export function OwnPasskeys() {
  const client = useQueryClient();
  const tell = useTell();
  const have = useQuery(queries.passkeys).data;
  const list = have ?? [];
  const remove = useMutation({
    mutationFn: (key: { key: string; name: string }) =>
      ask(api.DELETE("/api/passkeys/{key}", { params: { path: { key: key.key } } })),
    onSuccess: (_, key) => {
      tell(w.removed(key.name));
      refresh(client, keys.passkeys());
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <section aria-label={w.title} data-testid="passkeys">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.title}</h2>
      <p className="max-w-prose py-1 text-sm text-quiet">{w.text}</p>
      {have?.length === 0 && <p className="py-1">{w.none}</p>}
      <ul>
        {list.map((k) => (
          <li key={k.key} className="flex items-center gap-3 border-b border-rule py-1">
            <span className="min-w-0 flex-1 truncate">{k.name}</span>
            <span className="text-sm text-quiet">
              {w.since(dayShort(k.added_at), k.used_at ? dayShort(k.used_at) : undefined)}
            </span>
            <IconButton
              label={w.remove(k.name)}
              onClick={() => {
                remove.mutate(k);
              }}
            >
              <Cross />
            </IconButton>
          </li>
        ))}
      </ul>
      <AddPasskey />
    </section>
  );
}

const usual = () => w.usual(longDate(new Date().toISOString()));

/** AddPasskey has the browser make one. */
export function AddPasskey({ onDone }: { onDone?: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const ways = useQuery(queries.signInWays).data;
  const [name, setName] = useState(usual);
  const add = useMutation({
    mutationFn: async () => {
      const { options } = await ask(api.POST("/api/passkeys"));
      return ask(api.PUT("/api/passkeys", { body: { name, credential: await makePasskey(options) } }));
    },
    onSuccess: (all) => {
      client.setQueryData(keys.passkeys(), all);
      refresh(client, keys.me());
      tell(w.added);
      setName(usual());
      onDone?.();
    },
  });
  if (!ways) return null;
  if (!ways.passkeys || !canPasskeys()) return <p className="py-1 text-sm">{w.cannot}</p>;
  return (
    <form
      className="mt-2 flex flex-wrap items-start gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (!add.isPending) add.mutate();
      }}
    >
      <Field
        label={w.name}
        className="w-64"
        maxLength={100}
        value={name}
        problem={why(add.error)}
        onChange={(e) => {
          setName(e.target.value);
        }}
      />
      <Button type="submit" className="mt-6" disabled={add.isPending}>
        {w.add}
      </Button>
    </form>
  );
}
