import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { Button } from "../ui/button";
import { Check, Field } from "../ui/field";
import { useTell } from "../ui/toast";

const p = t.after.mine;

/** MailSettings are from which address one writes, and whether one's telephone is told of messages. */
export function MailSettings() {
  const settings = useQuery(queries.mailSettings);
  if (!settings.data) return null;
  return <Form key={settings.dataUpdatedAt} settings={settings.data} />;
}

function Form({ settings }: { settings: Schemas["MailSettings"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const [address, setAddress] = useState(settings.address);
  const [forward, setForward] = useState(settings.forward_texts);
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/me/mail", { body: { address, forward_texts: forward } })),
    onSuccess: (saved) => {
      client.setQueryData(["mail-settings"], saved);
      tell(p.saved);
    },
  });
  return (
    <section aria-label={p.title}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{p.title}</h2>
      <form
        className="flex flex-col items-start gap-2 py-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        <Field
          label={p.address}
          type="email"
          className="w-80"
          value={address}
          problem={save.error?.message}
          onChange={(e) => {
            setAddress(e.target.value);
          }}
        />
        <Check
          label={settings.telephone ? p.forward(settings.telephone) : p.forwardNone}
          checked={forward}
          onChange={setForward}
        />
        <Button look="ours" type="submit" disabled={save.isPending}>
          {t.save}
        </Button>
      </form>
    </section>
  );
}
