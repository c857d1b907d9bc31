import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { lazy, Suspense } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { insight as x } from "../texts/insight";
import { Button } from "../ui/button";
import { PickSelect } from "../ui/field";
import { Menu, MenuTick } from "../ui/menu";
import { Empty, Failed, Loading } from "../ui/states";
import { Tooltip } from "../ui/tooltip";
import { amount, behind, changed, type Figure, type Query, sentence } from "./asked";
import { Conditions } from "./conditions";
import { PeriodPick } from "./period_pick";
import { SaveReport } from "./save_report";

const Picture = lazy(() => import("./picture").then((m) => ({ default: m.Picture })));

const r = x.report;
const mostFigures = 8;

type Result = Schemas["ReportResult"];

/** Report is a sentence that says what is shown and can be filled in anew, a picture, the numbers, and the calls behind each. */
export function Report({
  query: q,
  list,
  saved,
  onChange,
}: {
  query: Query;
  list: Schemas["FigureList"];
  saved: Schemas["SavedReport"] | undefined;
  onChange: (q: Query) => void;
}) {
  const navigate = useNavigate();
  const report = useQuery(queries.report(q));
  const result = report.data;
  const said = saved && JSON.stringify(saved.query) === JSON.stringify(q) ? saved.name : sentence(q, list.figures);
  const open = (figure: string, key: string | undefined) =>
    void navigate({ to: "/insight", search: { tab: "calls", q: JSON.stringify(behind(q, figure, key)) } });
  const facet = list.facets.find((f) => f.key === q.by);
  const first = result?.figures[0];
  const file = (kind: string) =>
    `/api/figures/report.${kind}?${new URLSearchParams({ q: JSON.stringify(q), name: said }).toString()}`;
  return (
    <section aria-label={said} className="min-h-0 flex-1 overflow-y-auto" data-testid="report">
      <p className="mb-1 text-sm">
        <Link to="/insight" search={{}} className="text-quiet hover:underline">
          {r.all}
        </Link>
      </p>
      <div className="mb-2 flex flex-wrap items-baseline gap-4">
        <h2 className="name text-lg">{said}</h2>
        <span className="ml-auto flex items-center gap-3 text-sm">
          <a href={file("xlsx")} download className="underline">
            {r.xlsx}
          </a>
          <a href={file("csv")} download className="underline">
            {r.csv}
          </a>
          <SaveReport query={q} saved={saved?.mine ? saved : undefined} name={saved?.name ?? ""} />
        </span>
      </div>
      <Builder query={q} list={list} onChange={onChange} />
      {report.isPending && <Loading />}
      {report.isError && <Failed error={report.error} retry={() => void report.refetch()} />}
      {result && first && (
        <>
          {q.by && result.groups.some((g) => g.cells[0]?.value !== undefined) && (
            <Suspense fallback={<Loading />}>
              <Picture
                groups={result.groups}
                figure={first}
                lying={facet?.kind !== "times"}
                names={{ now: first.name, beside: besideName(q) && `${first.name}, ${besideName(q) ?? ""}` }}
                label={r.picture(said)}
                onOpen={(key) => {
                  open(first.key, key);
                }}
              />
            </Suspense>
          )}
          {q.by && result.groups.length === 0 && <Empty>{r.nothing}</Empty>}
          <Numbers query={q} result={result} onOpen={open} />
          <Footing result={result} />
        </>
      )}
    </section>
  );
}

function besideName(q: Query): string | undefined {
  return q.beside === "before" ? r.before : q.beside === "usual" ? r.usualShort : undefined;
}

/** Builder is the sentence, to be filled in. */
function Builder({
  query: q,
  list,
  onChange,
}: {
  query: Query;
  list: Schemas["FigureList"];
  onChange: (q: Query) => void;
}) {
  const first = q.figures[0] ?? "";
  return (
    <div className="mb-3 flex flex-wrap items-center gap-2" data-testid="builder">
      <PickSelect
        label={r.figure}
        hidden
        aside
        value={first}
        onPick={(key) => {
          onChange({ ...q, figures: [key, ...q.figures.filter((f) => f !== key && f !== first)] });
        }}
      >
        {list.figures.map((f) => (
          <option key={f.key} value={f.key} title={f.definition}>
            {f.name}
          </option>
        ))}
      </PickSelect>
      <span className="text-quiet">{r.by}</span>
      <PickSelect
        label={r.byLabel}
        hidden
        aside
        value={q.by}
        onPick={(by) => {
          onChange({ ...q, by });
        }}
      >
        <option value="">{r.together}</option>
        {list.facets
          .filter((f) => f.groups)
          .map((f) => (
            <option key={f.key} value={f.key}>
              {x.facets[f.key] ?? f.key}
            </option>
          ))}
      </PickSelect>
      <PeriodPick
        period={q.period}
        onPick={(period) => {
          onChange({ ...q, period });
        }}
      />
      <PickSelect
        label={r.beside}
        hidden
        aside
        value={q.beside ?? "none"}
        onPick={(beside) => {
          onChange({ ...q, beside: beside as NonNullable<Query["beside"]> });
        }}
      >
        {Object.entries(r.besides).map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </PickSelect>
      <Menu trigger={<Button>{r.more}</Button>}>
        {list.figures.map((f) => (
          <MenuTick
            key={f.key}
            on={q.figures.includes(f.key)}
            onChange={(on) => {
              const figures = on ? [...q.figures, f.key].slice(0, mostFigures) : q.figures.filter((k) => k !== f.key);
              if (figures.length > 0) onChange({ ...q, figures });
            }}
          >
            {f.name}
          </MenuTick>
        ))}
      </Menu>
      <Narrow query={q} list={list} onChange={onChange} />
    </div>
  );
}

/** Narrow chooses of which calls the report is: values of facets that its calls have. */
function Narrow({
  query: q,
  list,
  onChange,
}: {
  query: Query;
  list: Schemas["FigureList"];
  onChange: (q: Query) => void;
}) {
  const found = useQuery({
    ...queries.narrow({ period: q.period, where: q.where ?? [], count: 1 }),
  });
  const facets = found.data?.facets ?? [];
  const labelOf = (facet: string, key: string) =>
    facet === "behind"
      ? (list.figures.find((f) => f.key === key)?.name ?? key)
      : (facets.find((f) => f.key === facet)?.values.find((v) => v.key === key)?.label ?? key);
  return (
    <>
      <Menu trigger={<Button>{r.narrow}</Button>}>
        {facets
          .filter(
            (f) =>
              f.values.length > 0 &&
              ["way", "line", "queue", "rep", "team", "outcome", "type", "source", "has"].includes(f.key),
          )
          .flatMap((f) =>
            f.values.slice(0, 12).map((v) => {
              const now = (q.where ?? []).find((c) => c.facet === f.key && !c.not)?.values ?? [];
              return (
                <MenuTick
                  key={`${f.key}:${v.key}`}
                  on={now.includes(v.key)}
                  onChange={(on) => {
                    const values = on ? [...now, v.key] : now.filter((k) => k !== v.key);
                    onChange({ ...q, where: changed(q.where, { facet: f.key, values }) });
                  }}
                >
                  {x.facets[f.key]}: {v.label} <span className="text-quiet">{v.count.toLocaleString()}</span>
                </MenuTick>
              );
            }),
          )}
      </Menu>
      <Conditions
        where={q.where ?? []}
        labelOf={labelOf}
        onChange={(where) => {
          onChange({ ...q, where });
        }}
      />
    </>
  );
}

/** Numbers are the figures of each group; each opens the calls that it is made of. */
function Numbers({
  query: q,
  result,
  onOpen,
}: {
  query: Query;
  result: Result;
  onOpen: (figure: string, key: string | undefined) => void;
}) {
  const beside = besideName(q);
  const cell = (f: Figure, c: Schemas["ReportCell"] | undefined, key: string | undefined) => (
    <td key={f.key} className="px-2 py-1 text-right whitespace-nowrap">
      {c && c.calls > 0 ? (
        <button
          type="button"
          className="min-h-6 hover:underline"
          title={r.calls(c.calls)}
          onClick={() => {
            onOpen(f.key, key);
          }}
        >
          {amount(f, c.value)}
        </button>
      ) : (
        amount(f, c?.value)
      )}
      {beside && <span className="block text-sm text-quiet">{`${beside} ${amount(f, c?.beside)}`}</span>}
    </td>
  );
  return (
    <table className="mt-3 w-full" data-testid="numbers">
      <thead>
        <tr className="border-b border-rule-strong text-left text-sm text-quiet">
          <th scope="col" className="py-1 font-normal">
            {x.facets[q.by] ?? ""}
          </th>
          {result.figures.map((f) => (
            <th key={f.key} scope="col" className="px-2 text-right font-normal">
              <Tooltip text={f.definition}>
                <span tabIndex={0}>{f.name}</span>
              </Tooltip>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {result.groups.map((g) => (
          <tr key={g.key} className="border-b border-rule">
            <th scope="row" className="py-1 text-left font-normal">
              {g.label}
            </th>
            {result.figures.map((f, i) => cell(f, g.cells[i], g.key))}
          </tr>
        ))}
        <tr className="font-semibold">
          <th scope="row" className="py-1 text-left">
            {r.total}
          </th>
          {result.figures.map((f, i) => cell(f, result.all[i], undefined))}
        </tr>
      </tbody>
    </table>
  );
}

function Footing({ result }: { result: Result }) {
  return (
    <p className="mt-3 mb-6 max-w-prose text-sm text-quiet">
      {r.days(result.zone)} {result.reach !== "all" && r.part[result.reach]}{" "}
      {result.beside_windows !== undefined && r.usual(result.beside_windows)}{" "}
      {result.counting > 0 && r.counting(result.counting)}
    </p>
  );
}
