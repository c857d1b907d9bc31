import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, newKey, type Schemas } from "../api/client";
import { t } from "../messages";
import { Block } from "../ui/block";
import { Button, IconButton } from "../ui/button";
import { Field } from "../ui/field";
import { Tick } from "../ui/icons";
import { clockTime, dayName, fromInput } from "../ui/times";
import { useTell } from "../ui/toast";

/** FollowUps are the open follow-ups of a record, and the line in which one is made. */
export function FollowUps({ record }: { record: Schemas["Record"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const [text, setText] = useState("");
  const [when, setWhen] = useState("");
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const again = () => void client.invalidateQueries({ queryKey: ["record", record.id] });
  const add = useMutation({
    mutationFn: (key: string) =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id: record.id }, header: { "Idempotency-Key": key } },
          body: { text, ...(when ? { due_at: fromInput(when) } : {}) },
        }),
      ),
    onSuccess: () => {
      setText("");
      setWhen("");
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
              <span className="block break-words">{f.text}</span>
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
            setText(e.target.value);
          }}
        />
        {text && (
          <div className="flex gap-1.5">
            <Field
              label={t.record.when}
              hidden
              type="datetime-local"
              className="min-w-0 flex-1"
              value={when}
              onChange={(e) => {
                setWhen(e.target.value);
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
