import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useBook, useFields } from "./values";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";

type Import = Schemas["Import"];
type Plan = Schemas["ImportPlan"];
const w = t.book.imports;

/** ImportPage is one file on its way into the book: its columns are matched, its rows checked, the good ones taken up. */
export function ImportPage() {
  const { id } = useParams({ from: "/frame/imports/$id" });
  const client = useQueryClient();
  const data = useQuery({
    ...queries.import(id),
    refetchInterval: (q) => (["checking", "loading"].includes(q.state.data?.state ?? "") ? 1_000 : false),
  });
  const [matching, setMatching] = useState(false);
  const set = (next: Import) => {
    client.setQueryData(keys.imports(id), next);
    setMatching(false);
  };
  const load = useMutation({
    mutationFn: () => ask(api.POST("/api/imports/{id}/load", { params: { path: { id } } })),
    onSuccess: set,
  });
  const stop = useMutation({
    mutationFn: () => ask(api.POST("/api/imports/{id}/cancel", { params: { path: { id } } })),
    onSuccess: set,
  });
  if (data.isPending) return <Loading />;
  if (!data.data) return <Failed error={data.error} retry={() => void data.refetch()} />;
  const i = data.data;
  const percent = i.file_bytes > 0 ? Math.min(100, Math.floor((100 * i.bytes_read) / i.file_bytes)) : 0;
  const going = i.state === "checking" || i.state === "loading";
  const taken = i.rows_made + i.rows_updated + i.rows_skipped;
  return (
    <>
      <p className="text-sm text-quiet">
        <Link to="/imports" className="hover:underline">
          {w.title}
        </Link>
      </p>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="name text-xl break-all">{i.file_name}</h1>
        <span className="text-quiet" data-testid="import-state">
          {t.book.many(i.kind)} · {w.states[i.state]}
          {i.encoding && ` · ${w.encoding(i.encoding)}`}
        </span>
      </div>
      {i.problem && (
        <p role="alert" className="mt-2 rounded-sm bg-ending-soft px-3 py-1.5 text-ending">
          {i.problem}
        </p>
      )}
      {going && (
        <div className="mt-4 max-w-xl">
          <p role="status" className="mb-1.5">
            {i.state === "checking"
              ? w.progress(i.rows_read, percent)
              : w.done(i.rows_made, i.rows_updated, i.rows_skipped)}
          </p>
          <progress
            aria-label={w.states[i.state]}
            className="h-2 w-full accent-(--ours)"
            max={i.state === "checking" ? 100 : Math.max(1, i.rows_good)}
            value={i.state === "checking" ? percent : taken}
          />
          <Button
            className="mt-2"
            disabled={stop.isPending}
            onClick={() => {
              stop.mutate();
            }}
          >
            {w.stop}
          </Button>
        </div>
      )}
      {(i.state === "ready" || matching) && <Match key={i.id} data={i} onPlanned={set} />}
      {i.state === "checked" && !matching && (
        <div className="mt-4 flex flex-wrap items-center gap-3">
          <span className="font-semibold">{w.good(i.rows_good)}</span>
          {i.rows_rejected > 0 && <span className="text-waiting">{w.rejected(i.rows_rejected)}</span>}
          {i.rows_good > 0 && (
            <Button
              look="ours"
              disabled={load.isPending}
              onClick={() => {
                load.mutate();
              }}
            >
              {w.load(i.rows_good)}
            </Button>
          )}
          <Button
            onClick={() => {
              setMatching(true);
            }}
          >
            {w.again}
          </Button>
          <Button
            look="quiet"
            disabled={stop.isPending}
            onClick={() => {
              stop.mutate();
            }}
          >
            {w.stop}
          </Button>
          {load.error && (
            <p role="alert" className="text-ending">
              {load.error.message}
            </p>
          )}
        </div>
      )}
      {(i.state === "done" || i.state === "cancelled") && (
        <p className="mt-4 flex flex-wrap items-baseline gap-4">
          <span className="font-semibold">{w.done(i.rows_made, i.rows_updated, i.rows_skipped)}</span>
          {i.rows_rejected > 0 && <span className="text-waiting">{w.rejected(i.rows_rejected)}</span>}
          <Link
            to="/people"
            search={i.kind === "contact" || i.kind === "lead" ? {} : { kind: i.kind }}
            className="text-ours hover:underline"
          >
            {w.open}
          </Link>
        </p>
      )}
      {i.rows_rejected > 0 && !going && <Rejects data={i} />}
      {i.state !== "ready" && !matching && i.sample.length > 0 && i.rows_rejected === 0 && <Sample data={i} />}
    </>
  );
}

/** Match says which column is which field, with the first rows beside it. */
function Match({ data, onPlanned }: { data: Import; onPlanned: (next: Import) => void }) {
  const labels = useBook().labels;
  const fields = useFields(data.kind).filter((f) => !f.computed);
  const person = data.kind === "contact" || data.kind === "lead";
  const lists = (useQuery(queries.lists).data ?? []).filter((l) => l.type === "hand");
  const [columns, setColumns] = useState(data.plan?.columns ?? data.columns);
  const [same, setSame] = useState<Plan["same"]>(data.plan?.same ?? "skip");
  const [dates, setDates] = useState<string>(data.plan?.dates ?? "");
  const [list, setList] = useState(data.plan?.list_id ?? "");
  const plan = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/imports/{id}/plan", {
          params: { path: { id: data.id } },
          body: {
            columns,
            same,
            ...(dates ? { dates: dates as "day_first" } : {}),
            ...(list ? { list_id: list } : {}),
          },
        }),
      ),
    onSuccess: onPlanned,
  });
  const numberLabels = [...new Set([...labels, ...columns.flatMap((c) => /^phone:(.+)$/.exec(c.field)?.[1] ?? [])])];
  return (
    <form
      className="mt-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (!plan.isPending) plan.mutate();
      }}
    >
      <h2 className="text-quiet">{w.columns}</h2>
      <table className="mt-1 w-full" data-testid="match">
        <thead>
          <tr className="border-b border-rule-strong text-left text-sm text-quiet">
            <th className="w-1/5 py-1 font-normal">{w.column}</th>
            <th className="w-1/4 px-2 font-normal">{t.book.filter.field}</th>
            <th className="font-normal">{w.sample}</th>
          </tr>
        </thead>
        <tbody>
          {columns.map((c, at) => (
            <tr key={c.heading} className="border-b border-rule">
              <td className="name max-w-0 truncate py-1">{c.heading}</td>
              <td className="px-2 py-1">
                <Select
                  label={w.field(c.heading)}
                  hidden
                  value={c.field}
                  onChange={(e) => {
                    setColumns(columns.map((x, i) => (i === at ? { ...x, field: e.target.value } : x)));
                  }}
                >
                  <option value="">{w.leaveOut}</option>
                  {person && <option value="name">{w.whole}</option>}
                  {fields.map((f) => (
                    <option key={f.key} value={f.key}>
                      {f.label}
                    </option>
                  ))}
                  {numberLabels.map((l) => (
                    <option key={l} value={`phone:${l}`}>
                      {w.numberFor(l)}
                    </option>
                  ))}
                </Select>
              </td>
              <td className={`max-w-0 truncate py-1 text-sm ${c.field ? "" : "text-quiet line-through"}`}>
                {data.sample
                  .map((row) => row[data.columns.findIndex((x) => x.heading === c.heading)])
                  .filter(Boolean)
                  .slice(0, 4)
                  .join(" · ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-4 flex flex-wrap items-end gap-4">
        <Select
          label={w.same}
          value={same}
          onChange={(e) => {
            setSame(e.target.value as Plan["same"]);
          }}
        >
          {Object.entries(w.sameChoices).map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
        <Select
          label={w.dates}
          value={dates}
          onChange={(e) => {
            setDates(e.target.value);
          }}
        >
          {Object.entries(w.dateChoices).map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
        {lists.length > 0 && (
          <Select
            label={w.toList}
            value={list}
            onChange={(e) => {
              setList(e.target.value);
            }}
          >
            <option value="">{w.noList}</option>
            {lists.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </Select>
        )}
        <Button look="ours" type="submit" disabled={plan.isPending}>
          {w.check}
        </Button>
      </div>
      {plan.error && (
        <p role="alert" className="mt-2 text-ending">
          {plan.error.message}
        </p>
      )}
    </form>
  );
}

/** Rejects are the rows that were rejected, with their reasons, and the file in which they are mended. */
function Rejects({ data }: { data: Import }) {
  const rows = useQuery(queries.rejects(data.id)).data ?? [];
  return (
    <section aria-label={w.rejectsTitle} className="mt-6">
      <div className="flex flex-wrap items-baseline gap-4 border-b border-rule-strong pb-1">
        <h2 className="text-quiet">{w.rejectsTitle}</h2>
        <a href={`/api/imports/${data.id}/rejects.csv`} download className="text-ours hover:underline">
          {w.rejectsFile}
        </a>
        <Link to="/imports" search={{ mends: data.id, kind: data.kind }} className="text-ours hover:underline">
          {w.mend}
        </Link>
      </div>
      <table className="w-full" data-testid="rejects">
        <thead>
          <tr className="text-left text-sm text-quiet">
            <th className="w-14 py-1 font-normal">{w.row}</th>
            <th className="w-2/5 px-2 font-normal">{w.reason}</th>
            <th className="font-normal">{w.cells}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.row} className="border-t border-rule align-top">
              <td className="py-1 text-quiet">{r.line}</td>
              <td className="px-2 py-1">
                {r.field && <span className="font-semibold">{r.field}: </span>}
                {r.reason}
              </td>
              <td className="max-w-0 truncate py-1 text-sm text-quiet">{r.cells.filter(Boolean).join(" · ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Sample({ data }: { data: Import }) {
  return (
    <section aria-label={w.sample} className="mt-6 overflow-x-auto">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.sample}</h2>
      <table className="text-sm">
        <thead>
          <tr className="text-left text-quiet">
            {data.columns.map((c) => (
              <th key={c.heading} className="max-w-48 truncate py-1 pr-4 font-normal">
                {c.heading}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.sample.map((row, n) => (
            <tr key={n} className="border-t border-rule">
              {row.map((cell, k) => (
                <td key={k} className="max-w-48 truncate py-1 pr-4">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
