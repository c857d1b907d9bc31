import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { keys } from "../api/keys";
import { api, ask, type RecordRow, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

const d = t.book.duplicates;

/** Duplicates are the pairs that wait for somebody to say whether they are the same. */
export function Duplicates() {
  const client = useQueryClient();
  const tell = useTell();
  const page = useQuery({ ...queries.duplicates, refetchInterval: (q) => (q.state.data?.running ? 2_000 : false) });
  const again = (next?: Schemas["DuplicatePage"]) => {
    if (next) client.setQueryData(keys.duplicates(), next);
    else void client.invalidateQueries({ queryKey: keys.duplicates() });
  };
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const sweep = useMutation({ mutationFn: () => ask(api.POST("/api/duplicates")), onSuccess: again, onError: failed });
  const apart = useMutation({
    mutationFn: (p: Schemas["DuplicatePair"]) =>
      ask(api.POST("/api/duplicates/different", { body: { a: p.a.id, b: p.b.id } })),
    onSuccess: () => {
      tell(d.kept);
      again();
    },
    onError: failed,
  });
  const running = page.data?.running ?? false;
  return (
    <>
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <h1 className="name text-xl">{d.title}</h1>
        {page.data && <span className="pt-1 text-quiet">{running ? d.running : d.total(page.data.total)}</span>}
        <span className="grow" />
        <Button
          look="ours"
          disabled={sweep.isPending || running}
          onClick={() => {
            sweep.mutate();
          }}
        >
          {d.sweep}
        </Button>
      </div>
      {page.isPending && <Loading />}
      {page.isError && <Failed error={page.error} retry={() => void page.refetch()} />}
      {page.data?.pairs.length === 0 && !running && <Empty>{d.empty}</Empty>}
      <ul data-testid="pairs">
        {page.data?.pairs.map((p) => (
          <li key={p.id} className="grid grid-cols-[1fr_1fr_14rem] items-center gap-4 border-b border-rule py-2">
            <Side row={p.a} />
            <Side row={p.b} />
            <div>
              <p className="mb-1 text-sm text-quiet">{p.reasons.join(", ")}</p>
              <span className="flex gap-1.5">
                <Link
                  to="/merge"
                  search={{ a: p.a.id, b: p.b.id }}
                  className="inline-flex min-h-7 items-center rounded-sm border border-rule-strong bg-paper px-2.5 hover:border-edge"
                >
                  {t.book.lookAtBoth}
                </Link>
                <Button
                  disabled={apart.isPending}
                  onClick={() => {
                    apart.mutate(p);
                  }}
                >
                  {d.different}
                </Button>
              </span>
            </div>
          </li>
        ))}
      </ul>
    </>
  );
}

function Side({ row }: { row: RecordRow }) {
  return (
    <div className="min-w-0">
      <Link to="/records/$id" params={{ id: row.id }} className="name hover:underline">
        {row.name}
      </Link>{" "}
      <span className="text-sm text-quiet">{t.book.kind(row.kind)}</span>
      <p className="truncate text-sm text-quiet">
        {[row.company?.name, row.values["email"], row.numbers[0]?.display].filter(Boolean).join(" · ")}
      </p>
    </div>
  );
}
