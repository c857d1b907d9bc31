import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useBook } from "../book/values";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

const s = t.book.settings;

/** NumberSettings is which number of a contact and of a lead is tried first. */
export function NumberSettings() {
  const settings = useQuery(queries.bookSettings);
  if (settings.isPending) return <Loading />;
  if (!settings.data) return <Failed error={settings.error} retry={() => void settings.refetch()} />;
  return <Orders settings={settings.data} />;
}

const lines = (text: string) =>
  text
    .split("\n")
    .map((x) => x.trim())
    .filter(Boolean);

function Orders({ settings }: { settings: Schemas["BookSettings"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const usual = useBook().labels;
  const [contact, setContact] = useState(
    (settings.number_order_contact.length ? settings.number_order_contact : usual).join("\n"),
  );
  const [lead, setLead] = useState((settings.number_order_lead.length ? settings.number_order_lead : usual).join("\n"));
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/settings/book", {
          body: { ...settings, number_order_contact: lines(contact), number_order_lead: lines(lead) },
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData(keys.bookSettings(), saved);
      refresh(client, keys.record(), keys.rows());
      tell(s.saved);
    },
  });
  return (
    <form
      className="max-w-2xl"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.orderTitle}</h2>
      <p className="py-2">{s.orderIntro}</p>
      <div className="grid grid-cols-2 gap-4">
        <Area
          label={`${s.orderContact}: ${s.oneALine}`}
          rows={8}
          value={contact}
          problem={save.error?.message}
          onChange={(e) => {
            setContact(e.target.value);
          }}
        />
        <Area
          label={`${s.orderLead}: ${s.oneALine}`}
          rows={8}
          value={lead}
          onChange={(e) => {
            setLead(e.target.value);
          }}
        />
      </div>
      <Button look="ours" type="submit" className="mt-3" disabled={save.isPending}>
        {s.save}
      </Button>
    </form>
  );
}
