import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { insight as x } from "../texts/insight";
import { Failed, Loading } from "../ui/states";
import { readQuery, sentence } from "./asked";
import { Report } from "./report";

type Saved = Schemas["SavedReport"];

/** Reports are those one can look at, or the one that stands in the address. */
export function Reports() {
  const navigate = useNavigate();
  const { q, report } = useSearch({ from: "/frame/insight" });
  const figures = useQuery(queries.figures);
  const reports = useQuery(queries.reports);
  if (figures.isPending || reports.isPending) return <Loading />;
  if (!figures.data) return <Failed error={figures.error} retry={() => void figures.refetch()} />;
  if (!reports.data) return <Failed error={reports.error} retry={() => void reports.refetch()} />;
  const saved = reports.data.find((r) => r.id === report);
  const query = readQuery(q) ?? saved?.query;
  if (query) {
    return (
      <Report
        key={report ?? ""}
        query={query}
        list={figures.data}
        saved={saved}
        onChange={(next) =>
          void navigate({
            to: "/insight",
            search: { q: JSON.stringify(next), ...(report ? { report } : {}) },
            replace: true,
          })
        }
      />
    );
  }
  const groups = new Map<string, Saved[]>();
  for (const r of reports.data) {
    const name = r.group ?? (r.mine ? x.report.own : x.report.shared);
    groups.set(name, [...(groups.get(name) ?? []), r]);
  }
  return (
    <div className="grid grid-cols-2 gap-x-10 gap-y-6 max-[63.9rem]:grid-cols-1" data-testid="reports">
      {[...groups].map(([name, list]) => (
        <section key={name} aria-label={name}>
          <h2 className="border-b border-rule-strong pb-1 text-quiet">{name}</h2>
          <ul>
            {list.map((r) => (
              <li key={r.id} className="border-b border-rule py-1.5">
                <Link to="/insight" search={{ report: r.id }} className="font-semibold hover:underline">
                  {r.name}
                </Link>
                <span className="block text-sm text-quiet">
                  {sentence(r.query, figures.data.figures)}
                  {!r.mine && r.owner && ` · ${r.owner}`}
                </span>
              </li>
            ))}
          </ul>
        </section>
      ))}
    </div>
  );
}
