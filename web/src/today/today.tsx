import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { queries } from "../api/queries";
import { CallLine } from "../book/history";
import { t } from "../messages";
import { Number } from "../ui/number";
import { Empty, Failed, Loading } from "../ui/states";

const suggested = "Berit Osterlund"; // answers for certain in the demo

/** Today is the first view: what to try in the demo, what is owed, the calls so far. */
export function Today() {
  const me = useQuery(queries.me).data;
  const lane = useQuery(queries.lane);
  return (
    <>
      <h1 className="name text-xl">{t.today.greeting(me?.name.split(" ")[0] ?? "")}</h1>
      {me?.demo && <TryThis />}
      {lane.data && <p className="mt-1 text-quiet">{t.today.owedLine(lane.data.today)}</p>}
      <h2 className="mt-6 border-b border-rule-strong pb-1 text-quiet">{t.today.calls}</h2>
      {lane.isPending && <Loading />}
      {lane.isError && <Failed error={lane.error} retry={() => void lane.refetch()} />}
      {lane.data?.just_now.length === 0 && <Empty>{t.today.noCalls}</Empty>}
      <ul>
        {lane.data?.just_now.map((c) => (
          <CallLine key={c.id} call={c} withWho />
        ))}
      </ul>
    </>
  );
}

function TryThis() {
  const found = useQuery(queries.find(suggested)).data?.records.find((r) => r.name === suggested);
  const number = found?.numbers[0];
  if (!found || !number) return null;
  return (
    <div
      className="mt-4 flex flex-wrap items-center gap-4 rounded-md border border-ours bg-ours-soft px-4 py-3"
      data-testid="try"
    >
      <div className="min-w-60 flex-1">
        <p>
          <span className="name">{t.today.tryThis}</span> {t.today.tryBefore}{" "}
          <Link
            to="/records/$id"
            params={{ id: found.id }}
            className="font-semibold text-ours underline underline-offset-3"
          >
            {found.name}
          </Link>{" "}
          {t.today.tryText}
        </p>
        <p className="mt-1 text-sm text-quiet">{t.me.voices}</p>
      </div>
      <Number number={number} name={found.name} form="card" />
    </div>
  );
}
