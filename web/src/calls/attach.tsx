import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useDeferredValue, useState } from "react";

import { api, ask, type Call } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";
import { putCall } from "../filing/change_slip";
import { UnknownCaller } from "./unknown_caller";

/** useAttach puts a call on a record, or on nobody. */
export function useAttach(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  const done = {
    onSuccess: (changed: Call) => {
      putCall(client, changed);
    },
    onError: (e: Error) => {
      tell(e.message, { bad: true });
    },
  };
  const attach = useMutation({
    mutationFn: (record: string) =>
      ask(api.PUT("/api/calls/{id}/records/{record}", { params: { path: { id: call.id, record } } })),
    ...done,
  });
  const nobody = useMutation({
    mutationFn: () => ask(api.POST("/api/slips/{id}/nobody", { params: { path: { id: call.slip.id } } })),
    ...done,
  });
  return { attach, nobody };
}

/** AttachQuestion asks, while it rings, whose a typed number is; nothing is attached before the answer. */
export function AttachQuestion({ call }: { call: Call }) {
  const { attach, nobody } = useAttach(call);
  const [making, setMaking] = useState(false);
  if (making) {
    const company = call.slip.candidates.find((c) => c.record.kind === "company");
    return (
      <UnknownCaller
        call={call}
        company={company?.record ?? null}
        onDone={() => {
          setMaking(false);
        }}
      />
    );
  }
  return (
    <div
      role="group"
      aria-label={t.slip.whose}
      data-testid="attach-question"
      className="flex flex-wrap items-center gap-1.5 rounded-sm bg-waiting-soft px-2 py-1.5"
    >
      <span className="font-semibold text-waiting">{t.slip.whose}</span>
      {call.slip.candidates.map((c) => (
        <Button
          key={c.record.id}
          className="max-w-full min-w-0"
          title={c.reason}
          onClick={() => {
            attach.mutate(c.record.id);
          }}
        >
          <span className="truncate">
            {c.record.name} <span className="text-sm text-quiet">{c.reason}</span>
          </span>
        </Button>
      ))}
      <Button
        look={call.slip.candidates.length === 0 ? "ours" : "plain"}
        onClick={() => {
          setMaking(true);
        }}
      >
        {t.in.unknown.make}
      </Button>
      <AttachSearch call={call} label={t.slip.someoneElse} />
      <Button
        onClick={() => {
          nobody.mutate();
        }}
      >
        {t.slip.nobody}
      </Button>
    </div>
  );
}

/** AttachSearch finds a record and puts the call on it. */
export function AttachSearch({ call, label }: { call: Call; label?: string }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const q = useDeferredValue(text.trim());
  const found = useQuery({ ...queries.find(q), enabled: open && q !== "" });
  const { attach } = useAttach(call);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        {label ? (
          <Button>{label}</Button>
        ) : (
          <button
            type="button"
            className="min-h-6 rounded-sm border border-dashed border-edge px-1.5 text-sm text-quiet hover:text-ink"
          >
            {t.slip.attach}
          </button>
        )}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          className="z-50 w-80 rounded-md border border-rule-strong bg-sheet p-2 shadow-lg"
          aria-label={t.slip.attach}
          role="dialog"
        >
          <Field
            label={t.find.label}
            hidden
            placeholder={t.book.list.search}
            value={text}
            onChange={(e) => {
              setText(e.target.value);
            }}
          />
          <ul className="mt-1">
            {(q ? (found.data?.records ?? []) : []).map((r) => (
              <li key={r.id}>
                <button
                  type="button"
                  className="block min-h-7 w-full rounded-sm px-2 py-1 text-left hover:bg-ours-soft"
                  onClick={() => {
                    attach.mutate(r.id);
                    setOpen(false);
                    setText("");
                  }}
                >
                  {r.name} <span className="text-sm text-quiet">{r.company?.name}</span>
                </button>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
