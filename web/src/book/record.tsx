import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { type ReactNode, useEffect, useState } from "react";

import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { stateWord } from "../call/words";
import { t } from "../messages";
import { useKey } from "../shell/keys";
import { rememberRecord, useTrail } from "../shell/trail";
import { Button, IconButton } from "../ui/button";
import { Area, Field } from "../ui/field";
import { Tick } from "../ui/icons";
import { Number } from "../ui/number";
import { Failed, Loading } from "../ui/states";
import { clockTime, dayName } from "../ui/times";
import { useTell } from "../ui/toast";
import { History } from "./history";

type Record = Schemas["Record"];

/** RecordSheet is a person or a company: numbers, history, and what is known and owed at the right. */
export function RecordSheet() {
  const { id } = useParams({ from: "/frame/records/$id" });
  const record = useQuery(queries.record(id));
  const navigate = useNavigate();
  const data = record.data;
  const trail = useTrail(id);
  useEffect(() => {
    if (data) rememberRecord({ id: data.id, kind: data.kind, name: data.name });
  }, [data]);
  const other = data?.company?.id ?? trail.find((r) => r.kind !== "company" && r.id !== id)?.id;
  useKey("company", other ? () => void navigate({ to: "/records/$id", params: { id: other } }) : undefined);
  if (record.isPending) return <Loading />;
  if (!data) return <Failed error={record.error} retry={() => void record.refetch()} title={t.record.gone} />;
  return (
    <>
      {trail.length > 1 && (
        <nav aria-label={t.record.kinds[data.kind]} className="mb-1 flex gap-2 text-sm text-quiet">
          {trail.map((r) => (
            <Link
              key={r.id}
              to="/records/$id"
              params={{ id: r.id }}
              className="max-w-40 truncate hover:underline data-[status=active]:font-semibold"
            >
              {r.name}
            </Link>
          ))}
        </nav>
      )}
      <div className="flex flex-wrap items-start justify-between gap-x-6">
        <h1 className="name text-xl break-words">{data.name}</h1>
        <p className="pt-1.5 text-quiet">
          {[data.owner_name && t.record.owner(data.owner_name), data.source && t.record.from(data.source)]
            .filter(Boolean)
            .join(" · ")}
        </p>
      </div>
      <p className="text-quiet">
        {data.job && `${data.job}${data.company ? ", " : ""}`}
        {data.company && (
          <Link
            to="/records/$id"
            params={{ id: data.company.id }}
            className="text-ours underline decoration-rule-strong underline-offset-3 hover:decoration-ours"
          >
            {data.company.name}
          </Link>
        )}
        {[data.kind === "company" ? data.place : "", data.stage, t.record.touches(data.touches, data.conversations)]
          .filter(Boolean)
          .map((x, i) => (i > 0 || data.job || data.company ? ` · ${x}` : x))}
      </p>
      {data.refused && (
        <p className="mt-2 rounded-sm bg-ending-soft px-3 py-1.5 text-ending">{t.record.refused(data.refused)}</p>
      )}
      <Numbers record={data} />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_15.5rem] gap-7 max-[63.9rem]:grid-cols-1">
        <div className="min-w-0">
          {data.kind === "company" && <PeopleHere record={data} />}
          <History record={data.id} />
        </div>
        <aside className="flex flex-col gap-5 border-rule-strong min-[64rem]:border-l min-[64rem]:pl-5">
          <FollowUps record={data} />
          <Note key={data.id} record={data} />
          <Facts record={data} />
        </aside>
      </div>
    </>
  );
}

function Numbers({ record }: { record: Record }) {
  const desk = useQuery(queries.desk).data;
  const live = desk?.calls.find((c) => c.state.phase !== "ended");
  return (
    <div className="mt-3 flex flex-wrap gap-2" data-testid="numbers">
      {record.numbers.length === 0 && <p className="text-quiet">{t.number.noNumbers}</p>}
      {record.numbers.map((n) => (
        <Number
          key={n.id}
          number={n}
          name={record.name}
          form="card"
          now={
            live?.display === n.display && live.links.some((l) => l.record.id === record.id)
              ? stateWord(live.state)
              : undefined
          }
        />
      ))}
    </div>
  );
}

function Block({ title, children, act }: { title: string; children: ReactNode; act?: ReactNode }) {
  return (
    <section aria-label={title}>
      <div className="flex min-h-6 items-center justify-between">
        <h2 className="text-sm text-quiet">{title}</h2>
        {act}
      </div>
      {children}
    </section>
  );
}

function PeopleHere({ record }: { record: Record }) {
  return (
    <section aria-label={t.record.people} className="mb-5">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.record.people}</h2>
      {record.people.length === 0 && <p className="py-2 text-quiet">{t.record.noPeople}</p>}
      <ul>
        {record.people.map((p) => (
          <li key={p.id} className="grid grid-cols-[1fr_1fr_1.3fr] gap-3 border-b border-rule py-1.5">
            <Link to="/records/$id" params={{ id: p.id }} className="name truncate hover:underline">
              {p.name}
            </Link>
            <span className="truncate text-quiet">{p.job}</span>
            <span className="flex gap-3 overflow-hidden">
              {p.numbers.slice(0, 2).map((n) => (
                <Number key={n.id} number={n} name={p.name} />
              ))}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function FollowUps({ record }: { record: Record }) {
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
          body: { text, ...(when ? { due_at: new Date(when).toISOString() } : {}) },
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

function Note({ record }: { record: Record }) {
  const client = useQueryClient();
  const [draft, setDraft] = useState<{ text: string; version: number }>();
  const save = useMutation({
    mutationFn: (d: { text: string; version: number }) =>
      ask(
        api.PATCH("/api/records/{id}", {
          params: { path: { id: record.id } },
          body: { note: d.text, version: d.version },
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData(["record", record.id], saved);
      setDraft(undefined);
    },
    onError: (e) => {
      // The text stays; the next try is upon what somebody else has written.
      if (e instanceof Failure && e.code === "stale_version") {
        void client.fetchQuery(queries.record(record.id)).then((now) => {
          setDraft((d) => d && { ...d, version: now.version });
        });
      }
    },
  });
  if (!draft) {
    return (
      <Block
        title={t.record.note}
        act={
          <Button
            look="quiet"
            onClick={() => {
              save.reset();
              setDraft({ text: record.note, version: record.version });
            }}
          >
            {t.record.edit}
          </Button>
        }
      >
        <p className="break-words whitespace-pre-wrap">
          {record.note || <span className="text-quiet">{t.record.noteEmpty}</span>}
        </p>
      </Block>
    );
  }
  const stale = save.error instanceof Failure && save.error.code === "stale_version";
  return (
    <Block title={t.record.note}>
      {stale && <p className="mb-1 text-sm whitespace-pre-wrap text-quiet">{record.note}</p>}
      <Area
        label={t.record.note}
        hidden
        autoFocus
        rows={5}
        value={draft.text}
        problem={stale ? t.record.changedElse : save.error?.message}
        onChange={(e) => {
          setDraft({ ...draft, text: e.target.value });
        }}
      />
      <div className="mt-1.5 flex gap-1.5">
        <Button
          look="ours"
          disabled={save.isPending}
          onClick={() => {
            save.mutate(draft);
          }}
        >
          {t.save}
        </Button>
        <Button
          onClick={() => {
            setDraft(undefined);
          }}
        >
          {t.cancel}
        </Button>
      </div>
    </Block>
  );
}

function Facts({ record }: { record: Record }) {
  const link = "text-ours break-all hover:underline";
  return (
    <>
      {record.email && (
        <Block title={t.record.mail}>
          <a className={link} href={`mailto:${record.email}`}>
            {record.email}
          </a>
        </Block>
      )}
      {record.web && (
        <Block title={t.record.web}>
          <a className={link} href={`https://${record.web}`} rel="noreferrer" target="_blank">
            {record.web}
          </a>
        </Block>
      )}
      {record.address && (
        <Block title={t.record.address}>
          <p>
            {record.address}, {record.place}
          </p>
        </Block>
      )}
      {record.custom.map((c) => (
        <Block key={c.label} title={c.label}>
          <p className="break-words">{c.value}</p>
        </Block>
      ))}
    </>
  );
}
