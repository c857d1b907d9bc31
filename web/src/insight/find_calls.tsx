import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect, useState } from "react";

import type { Call } from "../api/client";
import { queries } from "../api/queries";
import { VoiceTrace } from "../calls/trace";
import { companyOf, stateWord, whoOf } from "../calls/words";
import { insight as x } from "../texts/insight";
import { t } from "../texts";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { Field, PickSelect, Select } from "../ui/field";
import { Direction } from "../ui/icons";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { clockTime, dayBrief } from "../ui/times";
import { changed, type Condition, readSought, type Sought } from "./asked";
import { Conditions } from "./conditions";
import { Facets } from "./facets";
import { keepFound } from "./found";
import { MakeList } from "./make_list";
import { PeriodPick } from "./period_pick";

const f = x.find;
const c = t.calls.columns;

/** FindCalls narrows thousands of calls to the few worth hearing. */
export function FindCalls() {
  const navigate = useNavigate();
  const { q } = useSearch({ from: "/frame/insight" });
  const sought = readSought(q);
  const where = sought.where ?? [];
  const list = useQuery(queries.figures).data;
  const found = useInfiniteQuery(queries.found(sought));
  const first = found.data?.pages[0];
  const rows = found.data?.pages.flatMap((p) => p.calls) ?? [];
  const ask = (change: Partial<Sought>) =>
    void navigate({
      to: "/insight",
      search: { tab: "calls", q: JSON.stringify({ ...sought, ...change }) },
      replace: true,
    });
  const labelOf = (facet: string, key: string) => {
    if (facet === "behind") return list?.figures.find((y) => y.key === key)?.name ?? key;
    if (facet === "words" || facet === "notes") return `“${key.replace(/^(ours|theirs):/, "")}”`;
    return first?.facets.find((y) => y.key === facet)?.values.find((v) => v.key === key)?.label ?? key;
  };
  const ids = rows.map((r) => r.id).join(" ");
  const count = first?.count ?? 0;
  useEffect(() => {
    keepFound({ ids: ids.split(" "), q: q ?? "", count });
  }, [ids, q, count]);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[13.5rem_minmax(0,1fr)] gap-5" data-testid="find-calls">
      <aside aria-label={f.facets} className="min-h-0 overflow-y-auto pr-1">
        <Words
          onAdd={(facet, value) => {
            ask({ where: changed(where, { facet, values: [value] }) });
          }}
        />
        {first && (
          <Facets
            facets={first.facets}
            where={where}
            onChange={(cond) => {
              ask({ where: changed(where, cond) });
            }}
          />
        )}
      </aside>
      <section aria-label={f.count(count)} className="flex min-h-0 min-w-0 flex-col">
        <div className="mb-2 flex flex-wrap items-center gap-2">
          <strong className="name text-lg" aria-live="polite" data-testid="found-count">
            {first ? f.count(count) : "…"}
          </strong>
          <PeriodPick
            period={sought.period}
            onPick={(period) => {
              ask({ period });
            }}
          />
          <PickSelect
            label={f.order}
            hidden
            aside
            value={sought.order ?? ""}
            onPick={(order) => {
              ask({ order });
            }}
          >
            {["", ...(list?.orders ?? [])].map((o) => (
              <option key={o} value={o}>
                {f.orders[o] ?? o}
              </option>
            ))}
          </PickSelect>
          <span className="ml-auto" />
          {count > 0 && <MakeList sought={sought} />}
          <a
            href={`/api/figures/calls.csv?${new URLSearchParams({ q: JSON.stringify(sought) }).toString()}`}
            download
            className="text-sm underline"
          >
            {f.file}
          </a>
        </div>
        {where.length > 0 && (
          <div className="mb-2 flex flex-wrap items-center gap-1.5" data-testid="conditions">
            <Conditions
              where={where}
              labelOf={labelOf}
              onChange={(next) => {
                ask({ where: next });
              }}
            />
            {where.length > 1 && (
              <Button
                look="quiet"
                onClick={() => {
                  ask({ where: [] });
                }}
              >
                {f.clear}
              </Button>
            )}
          </div>
        )}
        {first && first.reach !== "all" && <p className="mb-1 text-sm text-quiet">{x.report.part[first.reach]}</p>}
        {found.isPending && <Loading />}
        {found.isError && <Failed error={found.error} retry={() => void found.refetch()} />}
        {first?.count === 0 && <Empty>{f.none}</Empty>}
        {rows.length > 0 && (
          <Table
            key={q ?? ""}
            label={f.count(count)}
            columns={columns}
            count={rows.length}
            rowAt={(i) => rows[i]}
            idOf={(r) => r.id}
            onOpen={(r) => void navigate({ to: "/calls/$id", params: { id: r.id } })}
            onSight={
              found.hasNextPage && !found.isFetching
                ? (_, last) => {
                    if (last > rows.length - 20) void found.fetchNextPage();
                  }
                : undefined
            }
          />
        )}
      </section>
    </div>
  );
}

const columns: Column<Call>[] = [
  {
    key: "when",
    label: c.when,
    width: "8.9rem",
    cell: (r) => `${dayBrief(r.state.started_at)}, ${clockTime(r.state.started_at)}`,
  },
  {
    key: "who",
    label: c.who,
    width: "minmax(8rem,1fr)",
    cell: (r) => (
      <Link to="/calls/$id" params={{ id: r.id }} tabIndex={-1} className="hover:underline">
        <span className="name">{whoOf(r)}</span>
        {companyOf(r) && companyOf(r)?.name !== whoOf(r) && <span className="text-quiet"> {companyOf(r)?.name}</span>}
      </Link>
    ),
  },
  {
    key: "how",
    label: f.way,
    width: "2.6rem",
    cell: (r) => (
      <span title={stateWord(r.state)}>
        <Direction way={r.direction} />
      </span>
    ),
  },
  {
    key: "voices",
    label: t.voice.column,
    width: "5rem",
    cell: (r) =>
      r.recording?.state === "kept" && (
        <VoiceTrace trace={r.recording.trace} label={t.voice.recordedFor(duration(r.recording.ms))} className="h-5" />
      ),
  },
  { key: "long", label: c.long, width: "3.4rem", cell: (r) => (r.state.answered_at ? duration(r.talk_ms) : "") },
  { key: "outcome", label: c.outcome, width: "7rem", cell: (r) => r.slip.outcome },
  { key: "rep", label: c.rep, width: "6.2rem", cell: (r) => r.slip.rep_name },
];

/** Words looks for words that were said, or that stand in notes. */
function Words({ onAdd }: { onAdd: (facet: Condition["facet"], value: string) => void }) {
  const [said, setSaid] = useState("");
  const [side, setSide] = useState("");
  const [notes, setNotes] = useState("");
  return (
    <>
      <form
        className="mb-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (!said.trim()) return;
          onAdd("words", side ? `${side}:${said.trim()}` : said.trim());
          setSaid("");
        }}
      >
        <Field
          label={f.words}
          type="search"
          maxLength={150}
          value={said}
          onChange={(e) => {
            setSaid(e.target.value);
          }}
        />
        {said && (
          <span className="mt-1 flex items-end gap-2">
            <Select
              label={f.side}
              hidden
              value={side}
              onChange={(e) => {
                setSide(e.target.value);
              }}
            >
              {Object.entries(f.sides).map(([value, label]) => (
                <option key={value} value={value}>
                  {label}
                </option>
              ))}
            </Select>
            <Button type="submit">{f.look}</Button>
          </span>
        )}
      </form>
      <form
        className="mb-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!notes.trim()) return;
          onAdd("notes", notes.trim());
          setNotes("");
        }}
      >
        <Field
          label={f.notes}
          type="search"
          maxLength={150}
          value={notes}
          onChange={(e) => {
            setNotes(e.target.value);
          }}
        />
      </form>
    </>
  );
}
