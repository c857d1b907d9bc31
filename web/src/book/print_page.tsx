import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";

import { queries } from "../api/queries";
import { t } from "../texts";
import { longDate } from "../ui/times";
import { Button } from "../ui/button";
import { Failed, Loading } from "../ui/states";
import { ItemTable } from "./items";

const p = t.after.print;

/** PrintPage is a quote or an order as it goes to the customer: printed, or kept as a PDF, by the browser. */
export function PrintPage() {
  const { id } = useParams({ from: "/print/$id" });
  const record = useQuery(queries.record(id));
  const me = useQuery(queries.me).data;
  if (record.isPending) return <Loading />;
  if (!record.data) return <Failed error={record.error} retry={() => void record.refetch()} />;
  const r = record.data;
  const value = (key: string) => r.values.find((v) => v.key === key)?.text ?? "";
  return (
    <main className="mx-auto min-h-dvh max-w-3xl bg-sheet p-10 print:p-0">
      <div className="mb-6 flex justify-between gap-3 print:hidden">
        <Link to="/records/$id" params={{ id }} className="text-ours hover:underline">
          {p.back}
        </Link>
        <Button
          look="ours"
          onClick={() => {
            window.print();
          }}
        >
          {p.print}
        </Button>
      </div>
      <header className="flex items-start justify-between border-b border-rule-strong pb-4">
        <div>
          <p className="name text-lg">{me?.firm.name}</p>
          <p className="text-quiet">
            {me?.name}, {me?.line}
          </p>
        </div>
        <div className="text-right">
          <p className="name text-lg">{p.kinds[r.kind]}</p>
          <p>{value("reference")}</p>
          <p className="text-quiet">{longDate(new Date().toISOString())}</p>
        </div>
      </header>
      <section className="my-6">
        <p className="font-semibold">{value("company") || r.company?.name}</p>
        <p>{value("person")}</p>
      </section>
      <h1 className="name mb-3 text-xl">{r.name}</h1>
      {r.items.length > 0 ? <ItemTable record={r} /> : <p className="text-quiet">{t.book.items.none}</p>}
      {value("due") && <p className="mt-6">{p.valid(longDate(value("due")))}</p>}
      {r.note && <p className="mt-4 whitespace-pre-wrap">{r.note}</p>}
    </main>
  );
}
