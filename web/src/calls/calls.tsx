import { useInfiniteQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import type { Call } from "../api/client";
import { type CallsAsked, queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { duration } from "../ui/clock";
import { Field, Select } from "../ui/field";
import { Direction } from "../ui/icons";
import { Menu, MenuTick } from "../ui/menu";
import { CallAgain } from "../ui/number";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { Tabs } from "../ui/tabs";
import { clockTime, dayBrief } from "../ui/times";
import { VoiceTrace } from "./trace";
import { type Asked, callsIn, onlys, ways } from "./calls_address";
import { companyOf, stateWord, whoOf } from "./words";
import { WriteDown } from "./write_down";

const c = t.calls.columns;
const l = t.in.list;

/** always are the columns that cannot be left out. */
const always: ReadonlySet<string> = new Set(["when", "who", "number"]);

const storage = "trundo.calls.columns";
const usual = ["when", "who", "number", "how", "voices", "long", "outcome", "rep"];

function keptColumns(): string[] {
  try {
    const kept = JSON.parse(localStorage.getItem(storage) ?? "null") as unknown;
    return Array.isArray(kept) ? kept.filter((x): x is string => typeof x === "string") : usual;
  } catch {
    return usual;
  }
}

/** How a slip stands: its outcome, or what is missing. */
function Standing({ call }: { call: Call }) {
  if (call.slip.state === "filed") return call.slip.outcome;
  const missed = call.slip.state === "none";
  const internal = call.direction === "internal";
  if (internal && call.state.phase !== "ended") return null;
  return (
    <Badge tone={missed && call.state.phase === "ended" ? "ending" : "waiting"}>
      {missed ? (call.state.phase === "ended" ? t.history.missed : t.history.going) : t.history.notFiled}
    </Badge>
  );
}

/** Calls are all that came and went, one's own or everybody's, narrowed and searched. */
export function Calls() {
  const navigate = useNavigate();
  const search = useSearch({ from: "/frame/calls" });
  const [shown, setShown] = useState(keptColumns);
  const [writing, setWriting] = useState(false);
  const asked: CallsAsked = {
    whose: search.whose ?? "mine",
    ...(search.way ? { way: search.way } : {}),
    ...(search.only ? { only: search.only } : {}),
    ...(search.q ? { q: search.q } : {}),
  };
  const calls = useInfiniteQuery(queries.calls(asked));
  const rows = calls.data?.pages.flatMap((p) => p.calls) ?? [];
  const narrow = (change: Asked) =>
    void navigate({ to: "/calls", search: callsIn({ ...search, ...change }), replace: true });
  const all: Column<Call>[] = [
    {
      key: "when",
      label: c.when,
      width: "9.4rem",
      cell: (x) => `${dayBrief(x.state.started_at)}, ${clockTime(x.state.started_at)}`,
    },
    {
      key: "who",
      label: c.who,
      width: "minmax(8rem,1fr)",
      cell: (x) => (
        <Link to="/calls/$id" params={{ id: x.id }} tabIndex={-1} className="name hover:underline">
          {whoOf(x)}
        </Link>
      ),
    },
    { key: "number", label: c.number, width: "10.5rem", cell: (x) => <CallAgain call={x} name={whoOf(x)} /> },
    { key: "company", label: l.company, width: "minmax(8rem,0.8fr)", cell: (x) => companyOf(x)?.name ?? "" },
    { key: "line", label: l.line, width: "6rem", cell: (x) => x.line },
    {
      key: "how",
      label: c.how,
      width: "11.4rem",
      cell: (x) => (
        <>
          <Direction way={x.direction} /> {stateWord(x.state)}
          {x.by_hand && <span className="text-quiet"> · {l.byHand}</span>}
        </>
      ),
    },
    {
      key: "voices",
      label: t.voice.column,
      width: "4rem",
      cell: (x) =>
        x.recording?.state === "kept" && (
          <Link to="/calls/$id" params={{ id: x.id }} tabIndex={-1} className="block">
            <VoiceTrace
              trace={x.recording.trace}
              label={t.voice.recordedFor(duration(x.recording.ms))}
              className="h-5"
            />
          </Link>
        ),
    },
    {
      key: "long",
      label: c.long,
      width: "3.6rem",
      cell: (x) => (x.state.answered_at ? duration(x.talk_ms) : x.message_ms > 0 ? duration(x.message_ms) : ""),
    },
    { key: "outcome", label: c.outcome, width: "minmax(7.5rem,0.7fr)", cell: (x) => <Standing call={x} /> },
    { key: "rep", label: c.rep, width: "7.2rem", cell: (x) => x.slip.rep_name },
  ];
  const columns: Column<Call>[] = [...all.filter((x) => always.has(x.key) || shown.includes(x.key))];
  const file = `/api/calls.csv?${new URLSearchParams(asked).toString()}`;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="name text-xl">{t.calls.title}</h1>
        <Tabs
          label={t.calls.title}
          value={asked.whose}
          onChange={(next) => {
            narrow({ whose: next === "team" ? "team" : undefined });
          }}
          options={[
            { value: "mine", label: t.calls.mine },
            { value: "team", label: t.calls.team },
          ]}
        />
        <span className="ml-auto flex gap-2">
          <Button
            onClick={() => {
              setWriting(true);
            }}
          >
            {l.write}
          </Button>
          <Menu align="end" trigger={<Button>{l.columns}</Button>}>
            {all
              .filter((x) => !always.has(x.key))
              .map((x) => (
                <MenuTick
                  key={x.key}
                  on={shown.includes(x.key)}
                  onChange={(on) => {
                    const next = on ? [...shown, x.key] : shown.filter((k) => k !== x.key);
                    setShown(next);
                    try {
                      localStorage.setItem(storage, JSON.stringify(next));
                    } catch {
                      // good for this window, then
                    }
                  }}
                >
                  {x.label}
                </MenuTick>
              ))}
          </Menu>
          <a
            href={file}
            download
            className="inline-flex min-h-7 items-center rounded-sm border border-rule-strong bg-paper px-2.5 hover:border-edge"
          >
            {l.export}
          </a>
        </span>
      </div>
      <div className="mb-2 flex flex-wrap items-end gap-2">
        <Field
          label={l.search}
          hidden
          placeholder={l.search}
          type="search"
          maxLength={200}
          className="w-60"
          value={search.q ?? ""}
          onChange={(e) => {
            narrow({ q: e.target.value });
          }}
        />
        <Select
          label={l.which}
          hidden
          value={search.only ?? "all"}
          onChange={(e) => {
            narrow({ only: onlys.find((x) => x === e.target.value) });
          }}
        >
          {Object.entries(l.only).map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
        <Select
          label={l.way}
          hidden
          value={search.way ?? "all"}
          onChange={(e) => {
            narrow({ way: ways.find((x) => x === e.target.value) });
          }}
        >
          <option value="all">{l.all}</option>
          {ways.map((x) => (
            <option key={x} value={x}>
              {l[x]}
            </option>
          ))}
        </Select>
      </div>
      {calls.isPending && <Loading />}
      {calls.isError && rows.length === 0 && <Failed error={calls.error} retry={() => void calls.refetch()} />}
      {calls.data && rows.length === 0 && (
        <Empty>{search.q || search.only || search.way ? l.none : t.calls.empty}</Empty>
      )}
      {rows.length > 0 && (
        <Table
          key={`${asked.whose}${search.only ?? ""}${search.way ?? ""}`}
          label={t.calls.title}
          columns={columns}
          count={rows.length}
          rowAt={(i) => rows[i]}
          idOf={(x) => x.id}
          onOpen={(x) => void navigate({ to: "/calls/$id", params: { id: x.id } })}
          onSight={
            calls.hasNextPage && !calls.isFetching // more would be read instead of what has just changed
              ? (_, last) => {
                  if (last > rows.length - 25) void calls.fetchNextPage();
                }
              : undefined
          }
        />
      )}
      {writing && (
        <WriteDown
          onClose={() => {
            setWriting(false);
          }}
        />
      )}
    </div>
  );
}
