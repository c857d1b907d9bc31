import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, newKey, type Schemas } from "../api/client";
import { t } from "../texts";
import { Block } from "../ui/block";
import { Button, IconButton } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Tick } from "../ui/icons";
import { clockTime, dayName, fromInput } from "../ui/times";
import { useTell } from "../ui/toast";
import { useUnsent } from "../ui/unsent";
import { FollowUpDialog } from "./follow_up_dialog";

type Draft = { text: string; when: string; kind: Schemas["FollowUp"]["kind"] };
const noFollowUp = (): Draft => ({ text: "", when: "", kind: "call" });

/** FollowUps are the open follow-ups of a record, and the line in which one is made. */
export function FollowUps({ record }: { record: Schemas["Record"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const [draft, setDraft] = useUnsent(`follow-up ${record.id}`, noFollowUp, (x) => !x.text);
  const { text, when, kind } = draft;
  const [editing, setEditing] = useState<Schemas["FollowUp"]>();
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const again = () => void client.invalidateQueries({ queryKey: keys.record(record.id) });
  const add = useMutation({
    mutationFn: (key: string) =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id: record.id }, header: { "Idempotency-Key": key } },
          body: { text, kind, ...(when ? { due_at: fromInput(when) } : {}) },
        }),
      ),
    onSuccess: () => {
      setDraft(noFollowUp());
      again();
    },
    onError: failed,
  });
  const done = useMutation({
    mutationFn: (f: Schemas["FollowUp"]) =>
      ask(
        api.PATCH("/api/follow-ups/{id}", {
          params: { path: { id: f.id } },
          body: { version: f.version, state: "done" },
        }),
      ),
    onSuccess: again,
    onError: failed,
  });
  return (
    <Block title={t.record.followUps}>
      <ul>
        {record.follow_ups.map((f) => (
          <li key={f.id} className="flex items-start justify-between gap-2 border-b border-rule py-1">
            <span className="min-w-0">
              <button
                type="button"
                className="block text-left break-words hover:text-ours hover:underline"
                onClick={() => {
                  setEditing(f);
                }}
              >
                {f.kind !== "call" && `${t.after.acts[f.kind] ?? ""} `}
                {f.text}
              </button>
              <span className="block text-sm text-quiet">
                {f.promised && `${t.record.promised} `}
                {f.due_at
                  ? `${dayName(f.due_at)}${f.day_only ? "" : `, ${clockTime(f.due_at)}`}`
                  : t.record.noDate} · {f.owner_name}
              </span>
            </span>
            <IconButton
              label={t.lane.done(f.text)}
              onClick={() => {
                done.mutate(f);
              }}
            >
              <Tick />
            </IconButton>
          </li>
        ))}
      </ul>
      {editing && (
        <FollowUpDialog
          key={editing.id}
          followUp={editing}
          onClose={() => {
            setEditing(undefined);
          }}
        />
      )}
      <form
        className="mt-1.5 flex flex-col gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim() && !add.isPending) add.mutate(newKey());
        }}
      >
        <Field
          label={t.record.addFollowUp}
          hidden
          placeholder={t.record.addFollowUp}
          maxLength={500}
          value={text}
          onChange={(e) => {
            setDraft({ ...draft, text: e.target.value });
          }}
        />
        {text && (
          <div className="flex flex-wrap gap-1.5">
            <Select
              label={t.book.followUps.kind}
              hidden
              className="w-full"
              value={kind}
              onChange={(e) => {
                setDraft({ ...draft, kind: e.target.value as typeof kind });
              }}
            >
              {(["call", "mail", "meeting", "task"] as const).map((k) => (
                <option key={k} value={k}>
                  {t.after.settings.acts[k]}
                </option>
              ))}
            </Select>
            <Field
              label={t.record.when}
              hidden
              type="datetime-local"
              className="min-w-0 flex-1"
              value={when}
              onChange={(e) => {
                setDraft({ ...draft, when: e.target.value });
              }}
            />
            <Button look="ours" type="submit" disabled={add.isPending}>
              {t.record.add}
            </Button>
          </div>
        )}
      </form>
    </Block>
  );
}
