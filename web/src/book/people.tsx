import { useInfiniteQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";

import type { RecordRow } from "../api/client";
import { queries } from "../api/queries";
import { useDial } from "../call/dial";
import { t } from "../messages";
import { Badge } from "../ui/chip";
import { Field } from "../ui/field";
import { Number } from "../ui/number";
import { Empty, Failed, Loading } from "../ui/states";
import { type Column, Table } from "../ui/table";
import { Tabs } from "../ui/tabs";

const c = t.people.columns;

const name: Column<RecordRow> = {
  key: "name",
  label: c.name,
  width: "minmax(9rem,1.2fr)",
  cell: (r) => (
    <>
      <Link to="/records/$id" params={{ id: r.id }} tabIndex={-1} className="name hover:underline">
        {r.name}
      </Link>
      {r.kind === "lead" && (
        <span className="ml-2">
          <Badge tone="quiet">{t.people.lead}</Badge>
        </span>
      )}
    </>
  ),
};
const company: Column<RecordRow> = {
  key: "company",
  label: c.company,
  width: "minmax(8rem,1fr)",
  cell: (r) => r.company?.name,
};
const numbers: Column<RecordRow> = {
  key: "numbers",
  label: c.numbers,
  width: "21rem",
  cell: (r) => (
    <span className="flex h-6 flex-wrap items-center gap-x-4 overflow-hidden">
      {r.numbers.slice(0, 2).map((n, i) => (
        <Number key={n.id} number={n} name={r.name} form={i === 0 ? "line" : "bare"} tabIndex={-1} />
      ))}
    </span>
  ),
};
const stage: Column<RecordRow> = { key: "stage", label: c.stage, width: "5.5rem", cell: (r) => r.stage };
const owner: Column<RecordRow> = { key: "owner", label: c.owner, width: "8rem", cell: (r) => r.owner_name };

/** People is the list of contacts and leads, or of companies: searched by name, company or number in any notation. */
export function People() {
  const navigate = useNavigate();
  const { dial } = useDial();
  const search = useSearch({ from: "/frame/people" });
  const kind = search.kind ?? "people";
  const [text, setText] = useState(search.q ?? "");
  const q = useDeferredValue(text.trim());
  const show = (next: { q: string; kind: string }, replace: boolean) =>
    void navigate({
      to: "/people",
      search: { ...(next.q ? { q: next.q } : {}), ...(next.kind === "company" ? { kind: "company" as const } : {}) },
      replace,
    });
  const found = useInfiniteQuery(queries.people(q, kind));
  const rows = found.data?.pages.flatMap((p) => p.rows) ?? [];
  const total = found.data?.pages[0]?.total ?? 0;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="name text-xl">{t.people.title}</h1>
        <Tabs
          label={t.people.title}
          value={kind}
          onChange={(next) => {
            show({ q, kind: next }, false);
          }}
          options={[
            { value: "people", label: t.people.kinds.people },
            { value: "company", label: t.people.kinds.company },
          ]}
        />
        <span className="pb-1 text-quiet">
          {found.data && (kind === "company" ? t.people.totalCompanies(total) : t.people.total(total))}
        </span>
        <Field
          label={t.people.search}
          hidden
          placeholder={t.people.search}
          className="ml-auto w-80"
          value={text}
          maxLength={200}
          onChange={(e) => {
            setText(e.target.value);
            show({ q: e.target.value.trim(), kind }, true);
          }}
          onKeyDown={(e) => {
            if (e.key === "ArrowDown") {
              e.preventDefault();
              document.querySelector<HTMLElement>("[data-testid=rows]")?.focus();
            }
          }}
        />
      </div>
      {found.isPending && <Loading />}
      {found.isError && rows.length === 0 && <Failed error={found.error} retry={() => void found.refetch()} />}
      {found.data && rows.length === 0 && <Empty>{q ? t.people.nothing(q) : t.people.empty}</Empty>}
      {rows.length > 0 && (
        <>
          <Table
            key={`${kind} ${q}`}
            label={kind === "company" ? t.people.companies : t.people.title}
            columns={kind === "company" ? [name, numbers, owner] : [name, company, numbers, stage, owner]}
            rows={rows}
            idOf={(r) => r.id}
            onOpen={(r) => void navigate({ to: "/records/$id", params: { id: r.id } })}
            onSecond={(r) => {
              const n = r.numbers.find((x) => x.dialable && !x.refused);
              if (n) dial({ number_id: n.id }, r.name);
            }}
            onEnd={found.hasNextPage && !found.isFetchingNextPage ? () => void found.fetchNextPage() : undefined}
            more={found.isFetchingNextPage && <p className="p-2 text-sm text-quiet">{t.people.more} …</p>}
          />
          <p className="pt-1 text-sm text-quiet">{t.people.hint}</p>
        </>
      )}
    </div>
  );
}
