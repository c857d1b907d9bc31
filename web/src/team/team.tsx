import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useRights } from "../api/rights";
import { useDial } from "../calls/dial";
import { useListening } from "../calls/listening";
import { useTake, WaitingLine } from "../calls/waiting";
import { QueuesNow } from "../queues/queues_now";
import { insight } from "../texts/insight";
import { parties } from "../texts/parties";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { clockTime, dayShort, shortTime } from "../ui/times";
import { Tabs } from "../ui/tabs";
import { useTell } from "../ui/toast";
import { Wall } from "./wall";

type Colleague = Schemas["Colleague"];
const m = t.in.team;

/** Team is the wall for whoever leads, and everybody of the firm. */
export function Team() {
  const leads = useRights().others("see_days");
  const [tab, setTab] = useState("wall");
  if (!leads) return <People />;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-3 flex items-end gap-6">
        <h1 className="name text-xl">{m.title}</h1>
        <Tabs
          label={m.title}
          value={tab}
          onChange={setTab}
          options={(["wall", "people"] as const).map((value) => ({ value, label: insight.wall.tabs[value] }))}
        />
      </div>
      {tab === "wall" ? <Wall /> : <People />}
    </div>
  );
}

/** People are everybody of the firm: what they are doing, since when, and how to reach them. */
function People() {
  const leads = useRights().others("see_days");
  const team = useQuery(queries.team);
  const me = useQuery(queries.me).data;
  const { dial } = useDial();
  const listen = useListening();
  const ringing = (useQuery({ ...queries.waiting, refetchInterval: 3_000 }).data ?? []).filter(
    (w) => w.rings.length > 0 && !w.queue,
  );
  const take = useTake();
  const [noteTo, setNoteTo] = useState<Colleague>();
  const [watched, setWatched] = useState<Colleague>();
  const call = (c: Colleague) => {
    if (c.id !== me?.id) dial({ colleague_id: c.id }, c.name);
  };
  const ledger = useQuery(queries.promises({ whose: "team" })).data?.by ?? [];
  const kept = (c: Colleague) => ledger.find((x) => x.id === c.id)?.counts;
  const promises: Column<Colleague> = {
    key: "promises",
    label: m.promises,
    width: "7.5rem",
    cell: (c) => {
      const counts = kept(c);
      return counts?.kept_percent === undefined ? (
        ""
      ) : (
        <span title={t.record.promises(counts)}>{`${String(counts.kept_percent)} %`}</span>
      );
    },
  };
  const columns: Column<Colleague>[] = [
    {
      key: "who",
      label: m.who,
      width: "minmax(10rem,1fr)",
      cell: (c) => (
        <>
          <span className="name">{c.name}</span> {c.id === me?.id && <span className="text-quiet">{m.yourself}</span>}
          {c.deputy && <span className="ml-1.5 text-sm text-quiet">{m.standsIn(c.deputy)}</span>}
        </>
      ),
    },
    { key: "team", label: m.title, width: "9rem", cell: (c) => c.team },
    { key: "extension", label: m.extension, width: "5.5rem", cell: (c) => c.extension },
    {
      key: "doing",
      label: m.doing,
      width: "9rem",
      cell: (c) => (
        <span title={c.away_until ? m.away(shortTime(c.away_until), c.deputy ?? "") : undefined}>
          <Badge tone={c.free ? "theirs" : c.availability === "Speaking" ? "ours" : "quiet"}>{c.availability}</Badge>
        </span>
      ),
    },
    { key: "since", label: m.since, width: "6rem", cell: (c) => (c.since && c.reached ? shortTime(c.since) : "") },
    ...(ledger.some((x) => x.counts.kept_percent !== undefined) ? [promises] : []),
    {
      key: "acts",
      label: m.reach,
      width: "21rem",
      cell: (c) => (
        <span className="flex gap-1.5">
          {c.id !== me?.id && (
            <>
              <Button
                aria-label={m.call(c.name)}
                onClick={(e) => {
                  e.stopPropagation();
                  call(c);
                }}
                className="!min-h-6 !py-0"
              >
                {m.callShort}
              </Button>
              <Button
                aria-label={m.noteTo(c.name)}
                onClick={(e) => {
                  e.stopPropagation();
                  setNoteTo(c);
                }}
                className="!min-h-6 !py-0"
              >
                {m.note}
              </Button>
            </>
          )}
          {c.listen_call_id && (
            <Button
              aria-label={parties.listening.listenTo(c.name)}
              onClick={(e) => {
                e.stopPropagation();
                listen.mutate({ call: c.listen_call_id ?? "", how: "listen", colleague_id: c.id });
              }}
              className="!min-h-6 !py-0"
            >
              {parties.listening.listen}
            </Button>
          )}
          {(c.may_see_day || c.id === me?.id) && (
            <Button
              look="quiet"
              aria-label={m.history(c.name)}
              onClick={(e) => {
                e.stopPropagation();
                setWatched(c);
              }}
              className="!min-h-6 !py-0"
            >
              {m.historyShort}
            </Button>
          )}
        </span>
      ),
    },
  ];
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      {!leads && <h1 className="name mb-2 text-xl">{m.title}</h1>}
      <QueuesNow />
      {ringing.map((w) => (
        <WaitingLine
          key={w.call_id}
          waiting={w}
          onTake={() => {
            if (!take.isPending) take.mutate(w.call_id);
          }}
        />
      ))}
      {team.isPending && <Loading />}
      {team.isError && !team.data && <Failed error={team.error} retry={() => void team.refetch()} />}
      {team.data?.length === 0 && <Empty>{m.empty}</Empty>}
      {team.data && team.data.length > 0 && (
        <Table
          label={m.title}
          columns={columns}
          count={team.data.length}
          rowAt={(i) => team.data[i]}
          idOf={(c) => c.id}
          onOpen={(c) => {
            if (c.may_see_day || c.id === me?.id) setWatched(c);
            else setNoteTo(c);
          }}
        />
      )}
      {noteTo && (
        <Note
          to={noteTo}
          onClose={() => {
            setNoteTo(undefined);
          }}
        />
      )}
      {watched && (
        <Day
          of={watched}
          onClose={() => {
            setWatched(undefined);
          }}
        />
      )}
    </div>
  );
}

function Note({ to, onClose }: { to: Colleague; onClose: () => void }) {
  const tell = useTell();
  const [key] = useState(newKey);
  const [text, setText] = useState("");
  const send = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/team/{id}/notes", {
          params: { path: { id: to.id }, header: { "Idempotency-Key": key } },
          body: { text },
        }),
      ),
    onSuccess: () => {
      tell(m.noteLeft(to.name));
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={m.noteTo(to.name)}
      actions={
        <Button look="ours" type="submit" form="note" disabled={!text.trim() || send.isPending}>
          {m.noteSend}
        </Button>
      }
    >
      <form
        id="note"
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim() && !send.isPending) send.mutate();
        }}
      >
        <Field
          label={m.noteText}
          autoFocus
          maxLength={500}
          value={text}
          problem={send.error?.message}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
      </form>
    </Dialog>
  );
}

/** Day is in which states somebody has been, newest first. */
function Day({ of, onClose }: { of: Colleague; onClose: () => void }) {
  const changes = useQuery(queries.availabilityOf(of.id));
  return (
    <Dialog open onClose={onClose} title={m.history(of.name)}>
      {changes.isPending && <Loading />}
      {changes.isError && <Failed error={changes.error} />}
      <ul>
        {changes.data?.map((c) => (
          <li key={c.at} className="flex gap-3 border-b border-rule py-1">
            <span className="w-36 text-quiet">
              {dayShort(c.at)}, {clockTime(c.at)}
            </span>
            <span className={c.takes_calls ? "font-semibold text-theirs" : ""}>{c.label}</span>
            {c.counts_as_work && <span className="ml-auto text-sm text-quiet">{m.works}</span>}
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
