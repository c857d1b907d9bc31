import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { amount } from "../insight/asked";
import { insight } from "../texts/insight";
import { parties } from "../texts/parties";
import { Button } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { Direction } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { Tooltip } from "../ui/tooltip";
import { useListening } from "../calls/listening";
import { VoiceTrace } from "../calls/trace";
import { softTone } from "./soft_tone";
import { SetState, WallActs } from "./wall_acts";
import { WallLimits } from "./wall_limits";

const w = insight.wall;

type WallData = Schemas["Wall"];
type Row = Schemas["WallRow"];

/** Wall is what the team does now. Who needs somebody stands first; today stands beside a usual day. */
export function Wall() {
  const wall = useQuery(queries.wall);
  const [big, setBig] = useState(false);
  useAttention(wall.data);
  if (wall.isPending) return <Loading />;
  if (!wall.data) return <Failed error={wall.error} retry={() => void wall.refetch()} />;
  const data = wall.data;
  const urgent = data.rows.filter((r) => r.needs.length > 0);
  const others = data.rows.filter((r) => r.needs.length === 0);
  return (
    <div
      data-testid="wall"
      className={
        big
          ? "fixed inset-0 z-30 overflow-y-auto bg-paper p-6 text-lg [&_.text-sm]:text-base [&_h2]:text-lg"
          : "grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_17rem] gap-7 overflow-y-auto max-[63.9rem]:grid-cols-1"
      }
    >
      <div className={big ? "mb-6" : "contents"}>
        <section aria-label={w.team} className={big ? "columns-2 gap-10" : ""}>
          <h2 className="border-b border-rule-strong pb-1 text-quiet" aria-live="polite">
            {urgent.length > 0 ? w.needs : w.nobody}
          </h2>
          <ul>
            {urgent.map((r) => (
              <WallLine key={r.id} row={r} big={big} />
            ))}
          </ul>
          <h2 className="mt-4 border-b border-rule-strong pb-1 text-quiet">{w.team}</h2>
          {!big && <Heads />}
          <ul>
            {others.map((r) => (
              <WallLine key={r.id} row={r} big={big} />
            ))}
          </ul>
        </section>
      </div>
      <aside className={big ? "grid grid-cols-3 gap-10" : "flex flex-col gap-5"}>
        <span className={`flex flex-wrap gap-2 ${big ? "fixed right-6 bottom-4 text-base" : ""}`}>
          <Button
            onClick={() => {
              setBig(!big);
            }}
          >
            {big ? w.small : w.big}
          </Button>
          {!big && <WallLimits limits={data.limits} />}
        </span>
        <Today figures={data.figures} />
        <Late late={data.late} />
        <QueuesOnWall queues={data.queues} limit={data.limits.wait_seconds} />
        <RoundsOnWall rounds={data.rounds} />
      </aside>
    </div>
  );
}

/** useAttention sounds once for whoever needs somebody and did not before, where that is wanted. */
function useAttention(wall: WallData | undefined) {
  const known = useRef<Set<string>>(undefined);
  useEffect(() => {
    if (!wall) return;
    const now = new Set(wall.rows.flatMap((r) => r.needs.map((n) => r.id + n)));
    if (known.current && wall.limits.sound && [...now].some((k) => !known.current?.has(k))) softTone();
    known.current = now;
  }, [wall]);
}

function Heads() {
  return (
    <div aria-hidden className="flex gap-x-3 border-b border-rule py-0.5 text-sm text-quiet">
      <span className="w-2.5 shrink-0" />
      <span className="w-40">{w.columns.who}</span>
      <span className="w-28">{w.columns.doing}</span>
      <span className="w-14 text-right">{w.columns.since}</span>
      <span className="flex-1" />
      <span>{w.columns.today}</span>
    </div>
  );
}

const marks: Record<Row["kind"], string> = {
  speaking: "bg-ours",
  ringing: "bg-waiting",
  wrapping: "border-2 border-waiting",
  free: "bg-theirs",
  away: "border-2 border-rule-strong",
  gone: "border border-rule",
};

function WallLine({ row: r, big }: { row: Row; big: boolean }) {
  const now = useNow(1000);
  const listen = useListening();
  const navigate = useNavigate();
  const since = Date.parse(r.since) > 0 && r.kind !== "gone" ? duration(now - Date.parse(r.since)) : "";
  const usual = r.usual_conversations === undefined ? "" : r.usual_conversations.toFixed(0);
  return (
    <li
      className={`flex flex-wrap items-center gap-x-3 border-b border-rule py-1 ${r.kind === "gone" ? "text-quiet" : ""}`}
      data-testid="wall-row"
    >
      <span aria-hidden className={`size-2.5 shrink-0 rounded-full ${marks[r.kind]}`} />
      <span className={`name truncate ${big ? "w-60" : "w-40"}`} title={r.name}>
        {r.name}
      </span>
      <span className={`truncate ${big ? "w-36" : "w-28"}`}>{r.doing}</span>
      <span className="w-14 text-right tabular-nums">{since}</span>
      <span className="flex-1" />
      {!big && (
        <span className="flex shrink-0 items-center justify-end gap-1.5">
          <span className="text-sm text-quiet" title={w.talks(r.conversations ?? 0, usual)}>
            {r.conversations ?? 0}
            {usual && ` / ${usual}`}
          </span>
          {r.listen && r.call_id && (
            <Button
              className="!min-h-6 !py-0"
              aria-label={parties.listening.listenTo(r.name)}
              onClick={() => {
                listen.mutate({ call: r.call_id ?? "", how: "listen", colleague_id: r.id });
              }}
            >
              {parties.listening.listen}
            </Button>
          )}
          {r.call_id && (
            <Button
              className="!min-h-6 !py-0"
              onClick={() => void navigate({ to: "/calls/$id", params: { id: r.call_id ?? "" } })}
            >
              {w.open}
            </Button>
          )}
          <WallActs row={r} />
          {r.may_set && <SetState row={r} />}
        </span>
      )}
      {(r.with ?? r.needs.length > 0) && (
        <span className="flex w-full items-center gap-3 pl-5.5 text-sm">
          {r.with && (
            <span className="min-w-0 truncate">
              <Direction way={(r.direction ?? "inbound") as "inbound" | "outbound" | "internal"} /> {r.with}
              {r.line && <span className="text-quiet"> · {r.line}</span>}
            </span>
          )}
          {r.trace && <VoiceTrace trace={r.trace} width={50} className="h-5 max-w-28" />}
          <span className="font-semibold text-waiting">
            {[
              ...r.needs,
              ...(r.on_hold_since ? [`${w.onHold} ${duration(now - Date.parse(r.on_hold_since))}`] : []),
            ].join(" · ")}
          </span>
        </span>
      )}
    </li>
  );
}

function Today({ figures }: { figures: WallData["figures"] }) {
  if (figures.length === 0) return null;
  return (
    <section aria-label={w.today} data-testid="wall-today">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.today}</h2>
      <dl>
        {figures.map((f) => (
          <div key={f.figure.key} className="flex items-baseline justify-between gap-2 border-b border-rule py-1">
            <Tooltip text={f.figure.definition}>
              <dt tabIndex={0}>{f.figure.name}</dt>
            </Tooltip>
            <dd className="text-right">
              <Link
                to="/insight"
                search={{
                  tab: "calls",
                  q: JSON.stringify({ period: "today", where: [{ facet: "behind", values: [f.figure.key] }] }),
                }}
                className="font-semibold hover:underline"
              >
                {amount(f.figure, f.value)}
              </Link>
              {f.usual !== undefined && (
                <span className="block text-sm text-quiet">{w.usual(amount(f.figure, f.usual))}</span>
              )}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

function Late({ late }: { late: WallData["late"] }) {
  return (
    <section aria-label={w.late}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.late}</h2>
      {late.length === 0 && <p className="py-1 text-quiet">{w.nothingLate}</p>}
      <ul>
        {late.map((x) => (
          <li key={x.text} className="border-b border-rule py-1 text-waiting">
            {x.text}
          </li>
        ))}
      </ul>
    </section>
  );
}

function QueuesOnWall({ queues, limit }: { queues: WallData["queues"]; limit: number }) {
  const now = useNow(1000);
  if (queues.length === 0) return null;
  return (
    <section aria-label={w.queues}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.queues}</h2>
      <ul>
        {queues.map((q) => {
          const waited = q.oldest ? now - Date.parse(q.oldest) : 0;
          const long = limit > 0 && waited >= limit * 1000;
          return (
            <li key={q.id} className="border-b border-rule py-1">
              <span className="flex justify-between gap-2">
                <span className="name">{q.name}</span>
                <span className={long ? "font-semibold text-ending" : ""}>
                  {w.waiting(q.waiting)}
                  {q.oldest && `, ${w.longest(duration(waited))}`}
                </span>
              </span>
              <span className="text-sm text-quiet">{w.level(Math.round(q.service_level * 100))}</span>
              {long && <span className="sr-only">{w.waitsLong(q.name)}</span>}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

function RoundsOnWall({ rounds }: { rounds: WallData["rounds"] }) {
  return (
    <section aria-label={w.rounds}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.rounds}</h2>
      {rounds.length === 0 && <p className="py-1 text-quiet">{w.noRounds}</p>}
      <ul>
        {rounds.map((r) => (
          <li key={r.id} className="border-b border-rule py-1">
            <Link to="/rounds/$id" params={{ id: r.id }} className="name hover:underline">
              {r.name}
            </Link>
            <span className="flex justify-between text-sm text-quiet">
              <span>{r.rep}</span>
              <span>{w.roundOf(r.done, r.total)}</span>
            </span>
            <progress value={r.done} max={Math.max(1, r.total)} className="h-1.5 w-full accent-[var(--ours)]" />
          </li>
        ))}
      </ul>
    </section>
  );
}
