import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { useRights } from "../api/rights";
import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { ColleaguePick } from "../team/colleague_pick";
import { absences as s } from "../texts/absences";
import { Button } from "../ui/button";
import { Check, Field } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { longDate } from "../ui/times";
import { useTell } from "../ui/toast";

type Absence = Schemas["Absence"];

/** AbsenceSettings are who is away now and soon, and who stands in. */
export function AbsenceSettings() {
  const all = useQuery(queries.absences);
  return (
    <div className="max-w-3xl">
      <p className="mb-3 max-w-prose">{s.intro}</p>
      <AddAbsence />
      <h2 className="mt-6 mb-1 font-semibold">{s.list}</h2>
      {all.isPending && <Loading />}
      {all.isError && !all.data && <Failed error={all.error} retry={() => void all.refetch()} />}
      {all.data?.length === 0 && <Empty>{s.none}</Empty>}
      {all.data?.map((a) => (
        <Row key={a.id} absence={a} />
      ))}
    </div>
  );
}

const half = (noon: boolean, word: string) => (noon ? ` (${word})` : "");

/** when says from when until when, in words. */
const when = (a: Absence) =>
  a.from === a.until
    ? longDate(a.from) + half(a.from_noon, s.fromNoon) + half(a.until_noon, s.untilNoon)
    : s.span(longDate(a.from) + half(a.from_noon, s.fromNoon), longDate(a.until) + half(a.until_noon, s.untilNoon));

function Row({ absence: a }: { absence: Absence }) {
  const client = useQueryClient();
  const tell = useTell();
  const end = useMutation({
    mutationFn: () => ask(api.DELETE("/api/absences/{id}", { params: { path: { id: a.id } } })),
    onSuccess: () => {
      tell(s.ended);
      refresh(client, keys.absences(), keys.team(), keys.lane());
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <div className="flex items-center gap-3 border-b border-rule py-1.5" data-testid="absence">
      <span className="min-w-0 flex-1">
        <span className="font-semibold">{a.name}</span> {when(a)}{" "}
        <span className="text-sm text-quiet">{a.deputy ? s.standsIn(a.deputy) : s.noDeputy}</span>
      </span>
      {a.may_change && (
        <Button
          look="quiet"
          disabled={end.isPending}
          onClick={() => {
            end.mutate();
          }}
        >
          {s.end}
        </Button>
      )}
    </div>
  );
}

function AddAbsence() {
  const client = useQueryClient();
  const tell = useTell();
  const { may } = useRights();
  const me = useQuery(queries.me).data;
  const [key, setKey] = useState(newKey);
  const [draft, setDraft] = useState<Schemas["NewAbsence"]>({ from: "", until: "" });
  const set = (change: Partial<Schemas["NewAbsence"]>) => {
    setDraft((d) => ({ ...d, ...change }));
  };
  const add = useMutation({
    mutationFn: () => ask(api.POST("/api/absences", { params: { header: { "Idempotency-Key": key } }, body: draft })),
    onSuccess: (all) => {
      client.setQueryData(keys.absences(), all);
      refresh(client, keys.team(), keys.lane());
      tell(s.added);
      setKey(newKey());
      setDraft({ from: "", until: "" });
    },
  });
  const failure = add.error instanceof Failure ? add.error : undefined;
  const wrong = (field: string) => (failure?.problem?.field === field ? failure.message : undefined);
  const who = draft.user_id ?? me?.id;
  const chosen = (field: "user_id" | "deputy_id", value: string) => {
    setDraft((d) => {
      const rest = Object.fromEntries(Object.entries(d).filter(([k]) => k !== field)) as typeof d;
      return value ? { ...rest, [field]: value } : rest;
    });
  };
  return (
    <form
      data-testid="add-absence"
      className="grid grid-cols-4 items-start gap-3 max-[48rem]:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (!add.isPending) add.mutate();
      }}
    >
      <ColleaguePick
        label={s.who}
        value={draft.user_id ?? ""}
        none={s.me}
        disabled={!may("staff")}
        only={(c) => c.id !== me?.id}
        onChange={(id) => {
          chosen("user_id", id);
        }}
      />
      <div>
        <Field
          label={s.from}
          type="date"
          required
          value={draft.from}
          problem={wrong("from")}
          onChange={(e) => {
            const from = e.target.value;
            set({ from, until: draft.until < from ? from : draft.until });
          }}
        />
        <Check
          label={s.fromNoon}
          checked={draft.from_noon ?? false}
          onChange={(on) => {
            set({ from_noon: on });
          }}
        />
      </div>
      <div>
        <Field
          label={s.until}
          type="date"
          required
          min={draft.from}
          value={draft.until}
          problem={wrong("until")}
          onChange={(e) => {
            set({ until: e.target.value });
          }}
        />
        <Check
          label={s.untilNoon}
          checked={draft.until_noon ?? false}
          onChange={(on) => {
            set({ until_noon: on });
          }}
        />
      </div>
      <div>
        <ColleaguePick
          label={s.deputy}
          value={draft.deputy_id ?? ""}
          none={s.nobody}
          only={(c) => c.id !== who}
          onChange={(id) => {
            chosen("deputy_id", id);
          }}
        />
        {wrong("deputy_id") && (
          <p role="alert" className="mt-1 text-sm text-ending">
            {wrong("deputy_id")}
          </p>
        )}
      </div>
      {failure && !["from", "until", "deputy_id"].includes(failure.problem?.field ?? "") && (
        <p role="alert" className="col-span-full text-ending">
          {failure.message}
        </p>
      )}
      <Button type="submit" look="ours" className="justify-self-start" disabled={add.isPending}>
        {s.add}
      </Button>
    </form>
  );
}
