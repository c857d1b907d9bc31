import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useBook } from "../book/values";
import { t } from "../messages";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { Tabs } from "../ui/tabs";
import { clockTime, dayShort, fromInput, toInput } from "../ui/times";

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
    cell: (x) => <span className="name">{x.text}</span>,
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

function FollowUpDialog({ followUp, onClose }: { followUp: FollowUp; onClose: () => void }) {
  const client = useQueryClient();
  const people = useBook().people;
  const [text, setText] = useState(followUp.text);
  const [due, setDue] = useState(toInput(followUp.due_at));
  const [owner, setOwner] = useState(followUp.owner_id);
  const [state, setState] = useState(followUp.state);
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
            ...(due && due !== toInput(followUp.due_at) ? { due_at: fromInput(due) } : {}),
          },
        }),
      ),
    onSuccess: () => {
      for (const k of ["follow-ups", "lane", "record", "history"]) void client.invalidateQueries({ queryKey: [k] });
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
        <Field
          label={f.due}
          type="datetime-local"
          value={due}
          onChange={(e) => {
            setDue(e.target.value);
          }}
        />
        <Select
          label={f.owner}
          value={owner}
          onChange={(e) => {
            setOwner(e.target.value);
          }}
        >
          {people.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </Select>
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
    </Dialog>
  );
}
