import { Link, useNavigate } from "@tanstack/react-router";
import { type ReactNode, useDeferredValue, useMemo, useState } from "react";

import { Failure, type RecordRow, type Schemas } from "../api/client";
import { type FieldDef, kindsOf, type ListKind, useBook, useFields, written } from "../book/values";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Field } from "../ui/field";
import { More } from "../ui/icons";
import { Menu, MenuTick } from "../ui/menu";
import { Number } from "../ui/number";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { BulkBar } from "./bulk_bar";
import { countOf, type Group, readFilter, writeFilter } from "./filter";
import { FilterPanel } from "./filter_panel";
import { useSelection } from "./selection";
import { useRows } from "./use_rows";

const l = t.book.list;

/** View is what of a list is shown, as it stands in the address. */
export type View = {
  q?: string | undefined;
  f?: string | undefined;
  sort?: string | undefined;
  down?: true | undefined;
  cols?: string | undefined;
};

const usualColumns: Record<string, string[]> = {
  people: ["company", "numbers", "stage", "owner"],
  contact: ["company", "numbers", "stage", "owner"],
  lead: ["numbers", "source", "stage", "owner"],
  company: ["numbers", "place", "stage", "owner"],
  deal: ["company", "amount", "stage", "due", "owner"],
  case: ["reference", "company", "person", "stage", "owner"],
  product: ["reference", "amount", "stage"],
  quote: ["reference", "company", "amount", "stage", "due"],
  order: ["reference", "company", "amount", "delivery", "invoice"],
  visit: ["starts", "company", "person", "place", "owner"],
};

const widths: Partial<Record<FieldDef["type"], string>> = {
  money: "7.5rem",
  number: "5.5rem",
  date: "8rem",
  time: "10rem",
  yes_no: "4.5rem",
  user: "8.5rem",
  choice: "7rem",
  ref: "minmax(8rem,1fr)",
};

/** Rows is a list of records: searched, filtered, sorted, picked from; what it shows stands in its address. */
export function Rows({
  kind,
  view,
  onView,
  listId,
  title,
  tools,
  save,
}: {
  kind: ListKind;
  view: View;
  onView: (next: View, replace: boolean) => void;
  listId?: string | undefined;
  title: ReactNode;
  tools?: ReactNode;
  save?: ReactNode;
}) {
  const navigate = useNavigate();
  const book = useBook();
  const fields = useFields(kind);
  const [text, setText] = useState(view.q ?? "");
  const [panel, setPanel] = useState(false);
  // What is being put together may be unfinished; only what is whole goes into the address.
  const [draft, setDraft] = useState<{ for: string | undefined; group: Group }>();
  const group = draft && draft.for === view.f ? draft.group : readFilter(view.f);
  const q = useDeferredValue(text.trim());
  const query = useMemo<Schemas["RowQuery"]>(
    () => ({
      kinds: kindsOf(kind),
      ...(q ? { q } : {}),
      ...(listId ? { list_id: listId } : {}),
      ...(view.f ? { filter: view.f } : {}),
      ...(view.sort ? { sort: view.sort } : {}),
      ...(view.down ? { down: true } : {}),
    }),
    [kind, q, listId, view.f, view.sort, view.down],
  );
  const rows = useRows(query);
  const picked = useSelection(query, rows.count);
  const keys = view.cols?.split(",") ?? usualColumns[kind] ?? [];
  const sortable = (key: string, label: string) => ({
    direction: (view.sort ?? "name") === key ? (view.down ? ("down" as const) : ("up" as const)) : undefined,
    label: l.sortBy(label),
    onSort: () => {
      const same = (view.sort ?? "name") === key;
      onView({ ...view, sort: key === "name" ? undefined : key, down: same && !view.down ? true : undefined }, true);
    },
  });
  const columns: Column<RecordRow>[] = [
    {
      key: "name",
      label: fields.find((f) => f.key === "name")?.label ?? "Name",
      width: "minmax(9rem,1.3fr)",
      sort: sortable("name", "name"),
      cell: (r) => (
        <>
          <Link to="/records/$id" params={{ id: r.id }} tabIndex={-1} className="name hover:underline">
            {r.name}
          </Link>
          {r.kind === "lead" && kind === "people" && (
            <span className="ml-2">
              <Badge tone="quiet">{t.book.kind("lead")}</Badge>
            </span>
          )}
        </>
      ),
    },
    ...keys.flatMap((key): Column<RecordRow>[] => {
      if (key === "numbers") return [numbersColumn];
      const def = fields.find((f) => f.key === key);
      if (!def || key === "name") return [];
      return [
        {
          key,
          label: def.label,
          width: widths[def.type] ?? "minmax(6rem,0.8fr)",
          ...(def.type === "tags" || def.type === "phone" ? {} : { sort: sortable(key, def.label) }),
          cell: (r) => written(def.type, r.values[key] ?? ""),
        },
      ];
    }),
  ];
  const open = (r: RecordRow) => void navigate({ to: "/records/$id", params: { id: r.id } });
  const wrong =
    rows.error instanceof Failure && rows.error.problem?.field === "filter" ? rows.error.message : undefined;
  const loaded = rows.rows;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex flex-wrap items-end gap-x-4 gap-y-2">
        {title}
        <span className="pb-1.5 text-quiet" data-testid="count">
          {rows.counted && l.rows(rows.count, rows.more)}
        </span>
        <span className="grow" />
        {tools}
      </div>
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <Field
          label={l.search}
          hidden
          placeholder={l.search}
          className="w-80"
          value={text}
          maxLength={200}
          onChange={(e) => {
            setText(e.target.value);
            onView({ ...view, q: e.target.value.trim() || undefined }, true);
          }}
          onKeyDown={(e) => {
            if (e.key === "ArrowDown") {
              e.preventDefault();
              document.querySelector<HTMLElement>("[data-testid=rows]")?.focus();
            }
          }}
        />
        <Button
          aria-expanded={panel}
          onClick={() => {
            setPanel(!panel);
          }}
        >
          {l.filterOn(countOf(readFilter(view.f)))}
        </Button>
        <Menu
          trigger={
            <Button>
              {l.columns} <More />
            </Button>
          }
        >
          {[
            { key: "numbers", label: t.people.columns.numbers },
            ...fields.filter((f) => f.key !== "name" && f.type !== "long" && f.type !== "phone"),
          ].map((f) => (
            <MenuTick
              key={f.key}
              on={keys.includes(f.key)}
              onChange={(on) => {
                const next = on ? [...keys, f.key] : keys.filter((k) => k !== f.key);
                onView({ ...view, cols: next.join(",") }, true);
              }}
            >
              {f.label}
            </MenuTick>
          ))}
        </Menu>
        {save}
      </div>
      {panel && (
        <FilterPanel
          fields={fields}
          filter={group}
          problem={wrong}
          onChange={(next) => {
            const whole = writeFilter(next);
            setDraft({ for: whole, group: next });
            if (whole !== view.f) onView({ ...view, f: whole }, true);
          }}
        />
      )}
      {rows.pending && <Loading />}
      {rows.error && !wrong && loaded.length === 0 && <Failed error={rows.error} retry={rows.retry} />}
      {!rows.pending && !rows.error && rows.count === 0 && <Empty>{q || view.f ? l.nothing : l.empty}</Empty>}
      {rows.count > 0 && (
        <>
          <Table
            key={JSON.stringify([kind, listId, view.f, view.sort, view.down])}
            label={t.book.many(kind)}
            columns={columns}
            count={rows.count}
            rowAt={rows.rowAt}
            idOf={(r) => r.id}
            onOpen={open}
            onSight={rows.onSight}
            picking={{
              picked: (r) => picked.has(r.id),
              label: (r) => l.select(r.name),
              allLabel: l.selectPage,
              all: picked.count > 0 && loaded.every((r) => picked.has(r.id)),
              toggle: picked.toggle,
              toggleAll: () => {
                if (picked.count > 0) picked.clear();
                else picked.pickRows(loaded);
              },
            }}
          />
          {picked.count > 0 ? (
            <BulkBar picked={picked} total={rows.count} more={rows.more} listId={listId} fields={fields} kind={kind} />
          ) : (
            <p className="pt-1 text-sm text-quiet">
              {l.hint}
              {book.kinds.length === 0 && " …"}
            </p>
          )}
        </>
      )}
    </div>
  );
}

const numbersColumn: Column<RecordRow> = {
  key: "numbers",
  label: t.people.columns.numbers,
  width: "minmax(12rem,1.2fr)",
  cell: (r) => (
    <span className="flex h-6 flex-wrap items-center gap-x-4 overflow-hidden">
      {r.numbers.slice(0, 2).map((n, i) => (
        <Number key={n.id} number={n} name={r.name} form={i === 0 ? "line" : "bare"} tabIndex={-1} />
      ))}
    </span>
  ),
};
