import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { queries } from "../api/queries";
import { money } from "../book/values";
import { t } from "../texts";
import { Empty, Failed, Loading } from "../ui/states";
import { Tabs } from "../ui/tabs";

const s = t.after.insight;

/** Sources says which source brought which calls, people, deals and money. */
export function Sources() {
  const [days, setDays] = useState("90");
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
                  <td className="px-2 text-right">{r.calls}</td>
                  <td className="px-2 text-right">{r.people}</td>
                  <td className="px-2 text-right">{r.deals}</td>
                  <td className="px-2 text-right">{r.won}</td>
                  <td className="px-2 text-right font-semibold">{money(r.earned)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}
