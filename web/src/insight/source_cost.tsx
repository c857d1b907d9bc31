import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { money } from "../book/values";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";

const x = insight.sources;

/** Cost is what a source cost, entered month by month. */
export function Cost({ source }: { source: Schemas["Source"] }) {
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const [month, setMonth] = useState(new Date().toISOString().slice(0, 7));
  const [amount, setAmount] = useState("");
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/sources/costs", { body: { source: source.source, month, amount } })),
    onSuccess: () => {
      setAmount("");
      setOpen(false);
      refresh(client, keys.sources());
    },
  });
  return (
    <>
      <button
        type="button"
        className="min-h-6 hover:underline"
        title={x.enter(source.source)}
        onClick={() => {
          setOpen(true);
        }}
      >
        {source.cost ? money(source.cost) : <span className="text-quiet">{x.none}</span>}
      </button>
      <Dialog
        open={open}
        onClose={() => {
          setOpen(false);
        }}
        title={x.enter(source.source)}
        actions={
          <Button look="ours" type="submit" form="source-cost" disabled={!month || save.isPending}>
            {x.save}
          </Button>
        }
      >
        <form
          id="source-cost"
          className="flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            if (month && !save.isPending) save.mutate();
          }}
        >
          <p className="text-quiet">{x.help}</p>
          <div className="flex gap-4">
            <Field
              label={x.month}
              type="month"
              value={month}
              onChange={(e) => {
                setMonth(e.target.value);
              }}
            />
            <Field
              label={x.amount}
              value={amount}
              maxLength={40}
              problem={save.error?.message}
              onChange={(e) => {
                setAmount(e.target.value);
              }}
            />
          </div>
          <ul>
            {(source.months ?? []).map((m) => (
              <li key={m.month} className="flex justify-between border-b border-rule py-1">
                <span>{m.month}</span>
                <span>{money(m.amount)}</span>
              </li>
            ))}
          </ul>
        </form>
      </Dialog>
    </>
  );
}
