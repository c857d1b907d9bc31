import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, type Call, newKey } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { fromInput } from "../ui/times";
import { useTell } from "../ui/toast";
import { companyOf, personOf } from "../calls/words";

const d = t.in.during;

/** Promise notes down what was promised, and by when: it stands in the lane, and at their next ring. */
export function Promise({ call }: { call: Call }) {
  const client = useQueryClient();
  const tell = useTell();
  const [open, setOpen] = useState(false);
  const [what, setWhat] = useState("");
  const [when, setWhen] = useState("");
  const record = personOf(call) ?? companyOf(call);
  const save = useMutation({
    mutationFn: (id: string) =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id }, header: { "Idempotency-Key": newKey() } },
          body: { text: what, promised: true, ...(when ? { due_at: fromInput(when) } : {}) },
        }),
      ),
    onSuccess: () => {
      refresh(client, keys.lane(), keys.record(), keys.history());
      tell(d.promised(what));
      setOpen(false);
      setWhat("");
      setWhen("");
    },
  });
  if (!record) return null;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button
          type="button"
          className="min-h-6 rounded-sm border border-dashed border-edge px-1.5 text-sm text-quiet hover:text-ink"
        >
          {d.promise}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          role="dialog"
          aria-label={d.promise}
          className="z-50 w-80 rounded-md border border-rule-strong bg-sheet p-3 shadow-lg"
        >
          <form
            className="flex flex-col gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              if (what.trim() && !save.isPending) save.mutate(record.id);
            }}
          >
            <Field
              label={`${d.promiseWhat}, ${record.name}`}
              maxLength={500}
              value={what}
              problem={save.error?.message}
              onChange={(e) => {
                setWhat(e.target.value);
              }}
            />
            <Field
              label={d.promiseWhen}
              type="datetime-local"
              value={when}
              onChange={(e) => {
                setWhen(e.target.value);
              }}
            />
            <Button look="ours" type="submit" className="self-end" disabled={!what.trim() || save.isPending}>
              {d.promiseAdd}
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
