import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Call, newKey } from "../api/client";
import { queries } from "../api/queries";
import { NewRecord } from "../book/new_record";
import type { Kind } from "../book/values";
import { t } from "../texts";
import { Menu, MenuItem } from "../ui/menu";
import { useTell } from "../ui/toast";
import { useAttach } from "../calls/attach";
import { companyOf, personOf } from "../calls/words";

/** What may be made; of an order whose it is. */
const makes: { kind: Kind; way?: string; label: string }[] = [
  { kind: "deal", label: t.book.make_.title("deal") },
  { kind: "case", label: t.book.make_.title("case") },
  { kind: "quote", label: t.book.make_.title("quote") },
  { kind: "order", way: "of a customer", label: t.after.besideOrder },
  { kind: "order", way: "to a supplier", label: t.after.besideSupplier },
  { kind: "visit", label: t.book.make_.title("visit") },
];

/** MakeBeside makes a deal, case, quote, order or visit during a call, with what is known filled in; the call stands on it from then on. */
export function MakeBeside({ call }: { call: Call }) {
  const [making, setMaking] = useState<(typeof makes)[number]>();
  const { attach } = useAttach(call);
  const client = useQueryClient();
  const tell = useTell();
  const person = personOf(call);
  const company = companyOf(call);
  const deal = call.links.find((l) => l.record.kind === "deal")?.record;
  const whose = person ?? company;
  const sheet = useQuery({ ...queries.record(whose?.id ?? ""), enabled: whose !== undefined }).data;
  const quotes = sheet?.related.filter((r) => r.record.kind === "quote" && r.open).slice(0, 3) ?? [];
  const order = useMutation({
    mutationFn: (quote: string) =>
      ask(
        api.POST("/api/records/{id}/order", {
          params: { path: { id: quote }, header: { "Idempotency-Key": newKey() } },
        }),
      ),
    onSuccess: (made) => {
      attach.mutate(made.id);
      void client.invalidateQueries({ queryKey: keys.record() });
      tell(t.after.besideOrdered(made.name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (!person && !company) return null;
  const known = { ...(person ? { person } : {}), ...(company ? { company } : {}), ...(deal ? { deal } : {}) };
  return (
    <>
      <Menu
        trigger={
          <button
            type="button"
            className="min-h-6 rounded-sm border border-dashed border-edge px-1.5 text-sm text-quiet hover:text-ink"
          >
            {t.after.beside}
          </button>
        }
      >
        {makes.map((m) => (
          <MenuItem
            key={m.label}
            onSelect={() => {
              setMaking(m);
            }}
          >
            {m.label}
          </MenuItem>
        ))}
        {quotes.map((q) => (
          <MenuItem
            key={q.record.id}
            onSelect={() => {
              order.mutate(q.record.id);
            }}
          >
            {t.after.besideFromQuote(q.record.name)}
          </MenuItem>
        ))}
      </Menu>
      {making && (
        <NewRecord
          kind={making.kind}
          stay
          prefill={{
            ...Object.fromEntries(Object.entries(known).map(([key, r]) => [key, r.id])),
            ...(call.source && ["deal", "case"].includes(making.kind) ? { source: call.source } : {}),
            ...(making.way ? { way: making.way } : {}),
          }}
          names={Object.fromEntries(Object.entries(known).map(([key, r]) => [key, r.name]))}
          onClose={() => {
            setMaking(undefined);
          }}
          onMade={(made) => {
            attach.mutate(made.id);
          }}
        />
      )}
    </>
  );
}
