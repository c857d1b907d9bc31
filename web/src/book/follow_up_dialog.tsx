import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { lazy, Suspense, useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { ColleaguePick } from "../team/colleague_pick_later";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { fromInput, toInput } from "../ui/times";
import { useBook } from "./values";

const OfferTimes = lazy(() => import("../outreach/offer_times").then((m) => ({ default: m.OfferTimes })));

type FollowUp = Schemas["FollowUp"];
const f = t.book.followUps;

/** FollowUpDialog changes a follow-up: what is to be done and how, when, by whom, and whether it is done. */
export function FollowUpDialog({ followUp, onClose }: { followUp: FollowUp; onClose: () => void }) {
  const client = useQueryClient();
  const people = useBook().people;
  const [text, setText] = useState(followUp.text);
  const [due, setDue] = useState(toInput(followUp.due_at));
  const [owner, setOwner] = useState(followUp.owner_id);
  const [state, setState] = useState(followUp.state);
  const [kind, setKind] = useState(followUp.kind);
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PATCH("/api/follow-ups/{id}", {
          params: { path: { id: followUp.id } },
          body: {
            version: followUp.version,
            text,
            owner_id: owner,
            state,
            kind,
            ...(!due && followUp.due_at ? { clear_due: true } : {}),
            ...(due && due !== toInput(followUp.due_at) ? { due_at: fromInput(due) } : {}),
          },
        }),
      ),
    onSuccess: () => {
      refresh(client, keys.followUps(), keys.lane(), keys.record(), keys.history());
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={f.edit}
      actions={
        <>
          <Link
            to="/records/$id"
            params={{ id: followUp.record_id }}
            className="mr-auto inline-flex min-h-7 items-center text-ours hover:underline"
          >
            {followUp.record_name}
          </Link>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="follow-up" disabled={save.isPending}>
            {t.save}
          </Button>
        </>
      }
    >
      <form
        id="follow-up"
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        <Field
          label={f.text}
          className="col-span-2"
          autoFocus
          maxLength={500}
          value={text}
          problem={save.error?.message}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <Select
          label={f.kind}
          value={kind}
          onChange={(e) => {
            setKind(e.target.value as FollowUp["kind"]);
          }}
        >
          {(["call", "mail", "meeting", "task"] as const).map((k) => (
            <option key={k} value={k}>
              {t.after.settings.acts[k]}
            </option>
          ))}
        </Select>
        <Field
          label={f.due}
          type="datetime-local"
          value={due}
          onChange={(e) => {
            setDue(e.target.value);
          }}
        />
        <ColleaguePick
          label={f.owner}
          value={owner}
          name={people.find((p) => p.id === owner)?.name}
          onChange={setOwner}
        />
        <Select
          label={f.state}
          value={state}
          onChange={(e) => {
            setState(e.target.value as FollowUp["state"]);
          }}
        >
          {Object.entries(f.states).map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
      </form>
      {followUp.kind === "call" && followUp.state === "open" && (
        <div className="mt-4">
          <Suspense>
            <OfferTimes followUp={followUp.id} onSent={onClose} />
          </Suspense>
        </div>
      )}
    </Dialog>
  );
}
