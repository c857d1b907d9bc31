import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Call, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { howLong, personOf, sentence, whoOf } from "../calls/words";
import { t } from "../texts";
import { MessageLine, Thread } from "../outreach/thread";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Direction } from "../ui/icons";
import { useArrowKeys } from "../ui/list";
import { CallAgain } from "../ui/number";
import { Empty, Failed, Loading } from "../ui/states";
import { Tabs } from "../ui/tabs";
import { clockTime, dayName, dayShort } from "../ui/times";
import { duration } from "../ui/clock";
import { VoiceTrace } from "../calls/trace";

type Entry = Schemas["HistoryEntry"];
type Kind = "all" | "call" | "message" | "follow_up" | "change";

/** History is what happened to a record: a sentence for each entry, grouped by day, narrowed by kind. */
export function History({ record, show }: { record: string; show?: Kind | undefined }) {
  const [kind, setKind] = useState<Kind>(show ?? "all");
  const history = useInfiniteQuery(queries.history(record, kind));
  const entries = kind === "message" ? [] : (history.data?.pages.flatMap((p) => p.entries) ?? []);
  const arrows = useArrowKeys();
  const days = new Map<string, Entry[]>();
  for (const e of entries) {
    const day = dayName(e.at);
    days.set(day, [...(days.get(day) ?? []), e]);
  }
  return (
    <section aria-label={t.history.title} data-testid="history">
      <Tabs
        label={t.history.title}
        value={kind}
        onChange={(next) => {
          setKind(next as Kind);
        }}
        options={Object.entries(t.history.kinds).map(([value, label]) => ({ value, label }))}
      />
      {kind === "message" && <Thread record={record} />}
      {history.isPending && <Loading />}
      {history.isError && entries.length === 0 && <Failed error={history.error} retry={() => void history.refetch()} />}
      {history.data && kind !== "message" && entries.length === 0 && <Empty>{t.history.empty}</Empty>}
      <div onKeyDown={arrows}>
        {[...days].map(([day, list]) => (
          <div key={day}>
            <h2 className="pt-4 pb-1 text-quiet">{day}</h2>
            <ul>
              {list.map((e) => (
                <Line key={`${e.kind} ${e.ref_id} ${e.at}`} entry={e} />
              ))}
            </ul>
          </div>
        ))}
      </div>
      {history.hasNextPage && kind !== "message" && (
        <Button className="mt-3" disabled={history.isFetching} onClick={() => void history.fetchNextPage()}>
          {t.history.more}
        </Button>
      )}
    </section>
  );
}

function Line({ entry: e }: { entry: Entry }) {
  if (e.call) return <CallLine call={e.call} />;
  return (
    <li className="grid grid-cols-[5.4rem_1fr] border-b border-rule py-2">
      <span className="text-quiet">{clockTime(e.at)}</span>
      {e.message ? (
        <MessageLine message={e.message} />
      ) : e.follow_up ? (
        <span className="flex items-start justify-between gap-3">
          <span>{t.history.followUp(e.follow_up.owner_name, e.follow_up.text)}</span>
          {e.follow_up.promise !== "none" && (
            <Badge
              tone={e.follow_up.promise === "broken" ? "ending" : e.follow_up.promise === "kept" ? "theirs" : "waiting"}
            >
              {t.history.promise[e.follow_up.promise]}
            </Badge>
          )}
          {e.follow_up.state !== "open" && (
            <Badge tone="quiet">{e.follow_up.state === "done" ? t.history.done : t.history.cancelled}</Badge>
          )}
        </span>
      ) : (
        <span className="text-quiet">{e.change && t.history.changed(e.change.actor, e.change.text)}</span>
      )}
    </li>
  );
}

/** CallLine is one call in a stream: who called which number, how it went, the outcome, the notes. */
export function CallLine({ call, withWho = false }: { call: Call; withWho?: boolean }) {
  const open = call.slip.state === "open";
  return (
    <li
      className={`grid border-b border-rule py-2 ${withWho ? "grid-cols-[6.4rem_1fr]" : "grid-cols-[5.4rem_1fr]"}`}
      data-testid="call-entry"
    >
      <span className="text-quiet">{withWho ? dayShort(call.state.started_at) : clockTime(call.state.started_at)}</span>
      <div className="min-w-0">
        <div className="flex items-baseline justify-between gap-3">
          <Link to="/calls/$id" params={{ id: call.id }} data-arrow className="min-w-0 hover:underline">
            <Direction way={call.direction} />{" "}
            {sentence(
              call,
              withWho ? whoOf(call) : call.direction === "inbound" ? t.history.they : call.label || call.display,
              call.slip.rep_name.split(" ")[0] ?? "",
            )}
            {call.state.phase === "ended" ? `, ${howLong(call)}` : `, ${t.history.going}`}
          </Link>
          {call.state.phase === "ended" && !call.withheld && (
            <span className="ml-auto">
              <CallAgain call={call} name={whoOf(call)} />
            </span>
          )}
          {call.slip.state === "none" ? (
            <Badge tone="waiting">{call.state.phase === "ended" ? t.history.missed : t.history.going}</Badge>
          ) : open ? (
            <Badge tone="waiting">{call.state.phase === "ended" ? t.history.notFiled : t.history.going}</Badge>
          ) : (
            call.slip.outcome && (
              <Badge tone={call.slip.outcome_reached ? "theirs" : "quiet"}>{call.slip.outcome}</Badge>
            )
          )}
        </div>
        {(call.slip.subject || call.slip.call_type) && (
          <p>
            <span className="font-semibold">{call.slip.subject}</span>
            {call.slip.subject && call.slip.call_type && " · "}
            <span className="text-quiet">{call.slip.call_type}</span>
          </p>
        )}
        {call.slip.notes_hidden && <p className="text-sm text-quiet">{t.after.visible.hidden}</p>}
        {call.slip.notes.body && (
          <p className="line-clamp-4 max-w-prose whitespace-pre-wrap text-quiet">{call.slip.notes.body}</p>
        )}
        {call.recording?.state === "kept" && (
          <Link
            to="/calls/$id"
            params={{ id: call.id }}
            className="mt-1 flex max-w-96 items-center gap-2 text-sm text-quiet"
          >
            <VoiceTrace trace={call.recording.trace} className="h-6 flex-1" />
            {duration(call.recording.ms)}
          </Link>
        )}
        {withWho && personOf(call) && (
          <p className="text-sm text-quiet">{call.links.find((l) => l.role === "company")?.record.name}</p>
        )}
      </div>
    </li>
  );
}
