import { useInfiniteQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";

import type { Call } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { Badge } from "../ui/chip";
import { duration } from "../ui/clock";
import { Direction } from "../ui/icons";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { Tabs } from "../ui/tabs";
import { clockTime, dayShort } from "../ui/times";
import { useDial } from "./dial";
import { personOf, stateWord, whoOf } from "./words";

const c = t.calls.columns;
const columns: Column<Call>[] = [
  {
    key: "when",
    label: c.when,
    width: "9.5rem",
    cell: (x) => `${dayShort(x.state.started_at)}, ${clockTime(x.state.started_at)}`,
  },
  {
    key: "who",
    label: c.who,
    width: "minmax(9rem,1fr)",
    cell: (x) => (
      <Link to="/calls/$id" params={{ id: x.id }} tabIndex={-1} className="name hover:underline">
        {whoOf(x)}
      </Link>
    ),
  },
  { key: "number", label: c.number, width: "10.5rem", cell: (x) => x.display },
  {
    key: "how",
    label: c.how,
    width: "8rem",
    cell: (x) => (
      <>
        <Direction way={x.direction} /> {stateWord(x.state)}
      </>
    ),
  },
  { key: "long", label: c.long, width: "4.5rem", cell: (x) => (x.state.answered_at ? duration(x.talk_ms) : "") },
  {
    key: "outcome",
    label: c.outcome,
    width: "minmax(8rem,0.8fr)",
    cell: (x) =>
      x.slip.state === "filed" ? (
        x.slip.outcome
      ) : (
        <Badge tone="waiting">{x.slip.state === "none" ? t.history.missed : t.history.notFiled}</Badge>
      ),
  },
  { key: "rep", label: c.rep, width: "8.5rem", cell: (x) => x.slip.rep_name },
];

/** Calls lists the calls made, one's own or everybody's, newest first. */
export function Calls() {
  const navigate = useNavigate();
  const { dial } = useDial();
  const whose = useSearch({ from: "/frame/calls" }).whose ?? "mine";
  const calls = useInfiniteQuery(queries.calls(whose));
  const rows = calls.data?.pages.flatMap((p) => p.calls) ?? [];
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex items-end gap-6">
        <h1 className="name text-xl">{t.calls.title}</h1>
        <Tabs
          label={t.calls.title}
          value={whose}
          onChange={(next) =>
            void navigate({ to: "/calls", search: next === "team" ? { whose: "team" as const } : {} })
          }
          options={[
            { value: "mine", label: t.calls.mine },
            { value: "team", label: t.calls.team },
          ]}
        />
      </div>
      {calls.isPending && <Loading />}
      {calls.isError && rows.length === 0 && <Failed error={calls.error} retry={() => void calls.refetch()} />}
      {calls.data && rows.length === 0 && <Empty>{t.calls.empty}</Empty>}
      {rows.length > 0 && (
        <Table
          key={whose}
          label={t.calls.title}
          columns={columns}
          count={rows.length}
          rowAt={(i) => rows[i]}
          idOf={(x) => x.id}
          onOpen={(x) => void navigate({ to: "/calls/$id", params: { id: x.id } })}
          onSecond={(x) => {
            const person = personOf(x);
            dial({ typed: x.display, ...(person ? { open_record_id: person.id } : {}) }, whoOf(x));
          }}
          onSight={
            calls.hasNextPage && !calls.isFetchingNextPage
              ? (_, last) => {
                  if (last > rows.length - 25) void calls.fetchNextPage();
                }
              : undefined
          }
        />
      )}
    </div>
  );
}
