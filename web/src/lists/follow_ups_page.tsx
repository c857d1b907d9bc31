import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { FollowUpDialog } from "../book/follow_up_dialog";
import { t } from "../texts";
import { keepSource } from "../rounds/round";
import { Button } from "../ui/button";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { Tabs } from "../ui/tabs";
import { clockTime, dayShort } from "../ui/times";

type FollowUp = Schemas["FollowUp"];
const f = t.book.followUps;

const columns: Column<FollowUp>[] = [
  {
    key: "due",
    label: f.columns.due,
    width: "11rem",
    cell: (x) => (x.due_at ? `${dayShort(x.due_at)}${x.day_only ? "" : `, ${clockTime(x.due_at)}`}` : t.record.noDate),
  },
  {
    key: "what",
    label: f.columns.what,
    width: "minmax(12rem,1.5fr)",
    cell: (x) => (
      <span className="name">
        {x.kind !== "call" && `${t.after.acts[x.kind] ?? ""} `}
        {x.text}
      </span>
    ),
  },
  {
    key: "who",
    label: f.columns.who,
    width: "minmax(9rem,1fr)",
    cell: (x) => (
      <Link
        to="/records/$id"
        params={{ id: x.record_id }}
        tabIndex={-1}
        className="text-ours hover:underline"
        onClick={(e) => {
          e.stopPropagation();
        }}
      >
        {x.record_name}
      </Link>
    ),
  },
  { key: "owner", label: f.columns.owner, width: "9rem", cell: (x) => x.owner_name },
  { key: "state", label: f.columns.state, width: "6rem", cell: (x) => f.states[x.state] },
];

/** FollowUpsPage lists follow-ups, one's own or everybody's; each is changed where it stands. */
export function FollowUpsPage() {
  const navigate = useNavigate();
  const search = useSearch({ from: "/frame/follow-ups" });
  const whose = search.whose ?? "mine";
  const state = search.state ?? "open";
  const list = useQuery(queries.followUps(whose, state));
  const [open, setOpen] = useState<FollowUp>();
  const rows = list.data ?? [];
  const show = (next: { whose?: "team" | undefined; state?: "done" | undefined }) =>
    void navigate({ to: "/follow-ups", search: next });
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="name text-xl">{f.title}</h1>
        <Tabs
          label={f.title}
          value={whose}
          onChange={(next) => {
            show({ ...search, whose: next === "team" ? "team" : undefined });
          }}
          options={[
            { value: "mine", label: f.mine },
            { value: "team", label: f.team },
          ]}
        />
        <Tabs
          label={f.state}
          value={state}
          onChange={(next) => {
            show({ ...search, state: next === "done" ? "done" : undefined });
          }}
          options={[
            { value: "open", label: f.open },
            { value: "done", label: f.done },
          ]}
        />
        {state === "open" && rows.length > 0 && (
          <Button
            look="ours"
            className="ml-auto"
            onClick={() => {
              keepSource({ selection: { ids: rows.map((x) => x.record_id) } });
              void navigate({ to: "/rounds/new", search: {} });
            }}
          >
            {t.rounds.start.button}
          </Button>
        )}
      </div>
      {list.isPending && <Loading />}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.data?.length === 0 && <Empty>{f.empty}</Empty>}
      {rows.length > 0 && (
        <Table
          key={`${whose} ${state}`}
          label={f.title}
          columns={columns}
          count={rows.length}
          rowAt={(i) => rows[i]}
          idOf={(x) => x.id}
          onOpen={setOpen}
          onSecond={(x) => void navigate({ to: "/records/$id", params: { id: x.record_id } })}
        />
      )}
      {open && (
        <FollowUpDialog
          key={open.id}
          followUp={open}
          onClose={() => {
            setOpen(undefined);
          }}
        />
      )}
    </div>
  );
}
