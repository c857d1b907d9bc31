import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { queries } from "../api/queries";
import { useRights } from "../api/rights";
import { money } from "../book/values";
import { t } from "../texts";
import { insight } from "../texts/insight";
import { Empty, Failed, Loading } from "../ui/states";
import { Tabs } from "../ui/tabs";
import { Cost } from "./source_cost";

const s = t.after.insight;
const x = insight.sources;

/** callsOf are the calls that a source brought. */
const callsOf = (source: string, days: string) =>
  JSON.stringify({
    period: `${days}d`,
    where: [
      { facet: "source", values: [source] },
      { facet: "way", values: ["inbound"] },
    ],
  });

/** Sources says which source brought which calls, people, deals and money. */
export function Sources() {
  const [days, setDays] = useState("90");
  const { may } = useRights();
  const sources = useQuery(queries.sources(Number(days)));
  const rows = sources.data ?? [];
  const best = rows.find((r) => r.won > 0);
  return (
    <>
      <div className="mb-3 flex flex-wrap items-end gap-6">
        <h2 className="text-quiet">{s.title}</h2>
        <Tabs
          label={s.since}
          value={days}
          onChange={setDays}
          options={["30", "90", "365"].map((d) => ({ value: d, label: s.days(d) }))}
        />
      </div>
      {sources.isPending && <Loading />}
      {sources.isError && <Failed error={sources.error} retry={() => void sources.refetch()} />}
      {sources.data && rows.length === 0 && <Empty>{s.none}</Empty>}
      {rows.length > 0 && (
        <>
          <p className="mb-3 max-w-prose">
            {best ? s.sentence(days, best.source, money(best.earned), best.won) : s.noneWon(days)}
          </p>
          <table className="w-full max-w-4xl" data-testid="sources">
            <thead>
              <tr className="border-b border-rule-strong text-left text-sm text-quiet">
                <th className="py-1 font-normal">{s.source}</th>
                {(["calls", "people", "deals", "won", "earned"] as const).map((k) => (
                  <th key={k} className="px-2 text-right font-normal">
                    {s.columns[k]}
                  </th>
                ))}
                <th className="px-2 text-right font-normal">{x.cost}</th>
                <th className="px-2 text-right font-normal">{x.times}</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.source} className="border-b border-rule">
                  <td className="py-1.5">
                    <Link
                      to="/people"
                      search={{ f: JSON.stringify({ field: "source", op: "is", value: r.source }) }}
                      className="hover:underline"
                    >
                      {r.source}
                    </Link>
                  </td>
                  <td className="px-2 text-right">
                    <Link
                      to="/insight"
                      search={{ tab: "calls", q: callsOf(r.source, days) }}
                      className="hover:underline"
                    >
                      {r.calls}
                    </Link>
                  </td>
                  <td className="px-2 text-right">{r.people}</td>
                  <td className="px-2 text-right">{r.deals}</td>
                  <td className="px-2 text-right">{r.won}</td>
                  <td className="px-2 text-right font-semibold">{money(r.earned)}</td>
                  <td className="px-2 text-right">
                    {may("set_up_firm") ? <Cost source={r} /> : r.cost ? money(r.cost) : ""}
                  </td>
                  <td className="px-2 text-right">{r.times === undefined ? "" : x.timesOf(r.times)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}
