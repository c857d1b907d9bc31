import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Check, Field } from "../ui/field";
import { useTell } from "../ui/toast";

const p = t.after.mine;

/** MailSettings are from which address one writes, and whether one's telephone is told of messages. */
export function MailSettings() {
  const settings = useQuery(queries.mailSettings);
  if (!settings.data) return null;
  return <Form settings={settings.data} />;
}

function Form({ settings }: { settings: Schemas["MailSettings"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const [address, setAddress] = useState(settings.address);
  const [code, setCode] = useState("");
  const [forward, setForward] = useState(settings.forward_texts);
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/me/mail", { body: { address, code, forward_texts: forward } })),
    onSuccess: (saved) => {
      client.setQueryData(keys.mailSettings(), saved);
      tell(p.saved);
    },
  });
  // An address outside the firm's domains is proved by a code that is sent there.
  const wanted = save.error instanceof Failure && save.error.problem?.field === "code";
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
          problem={wanted ? undefined : save.error?.message}
          onChange={(e) => {
            setAddress(e.target.value);
            setCode("");
            save.reset();
          }}
        />
        {(wanted || code) && (
          <Field
            label={p.code}
            inputMode="numeric"
            autoComplete="one-time-code"
            className="w-40"
            value={code}
            autoFocus
            problem={wanted ? save.error?.message : undefined}
            onChange={(e) => {
              setCode(e.target.value);
            }}
          />
        )}
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
