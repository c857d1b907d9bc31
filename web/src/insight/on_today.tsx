import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { insight } from "../texts/insight";
import { amount } from "./asked";

const r = insight.report;

/** OnToday are the reports that one wants to see there: each with its first figure, and what it was before. */
export function OnToday() {
  const reports = (useQuery(queries.reports).data ?? []).filter((x) => x.on_today);
  if (reports.length === 0) return null;
  return (
    <section aria-label={insight.tabs.reports} data-testid="reports-on-today">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{insight.tabs.reports}</h2>
      <ul>
        {reports.map((x) => (
          <One key={x.id} report={x} />
        ))}
      </ul>
    </section>
  );
}

function One({ report }: { report: Schemas["SavedReport"] }) {
  const result = useQuery(queries.report(report.query)).data;
  const first = result?.figures[0];
  const beside = result?.all[0]?.beside;
  const word = report.query.beside === "usual" ? r.usualShort : r.before;
  return (
    <li className="border-b border-rule py-1">
      <Link to="/insight" search={{ report: report.id }} className="hover:underline">
        {report.name}
      </Link>
      {first && (
        <span className="block text-sm">
          <strong>{amount(first, result.all[0]?.value)}</strong> <span className="text-quiet">{first.name}</span>
          {beside !== undefined && <span className="text-quiet">{`, ${word} ${amount(first, beside)}`}</span>}
        </span>
      )}
    </li>
  );
}
