import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask } from "../api/client";
import { queries } from "../api/queries";
import { roundPages } from "../texts/round_pages";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import type { Round } from "./round";

const o = roundPages.over;

/** Results are what came of a round: by outcome, who was not reached, and what can be done with them. */
export function Results({ round }: { round: Round }) {
  const results = useQuery(queries.roundResults(round.id));
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const rights = useRights();
  const [name, setName] = useState(o.restOf(round.name));
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/rounds/{id}/rest", { params: { path: { id: round.id } }, body: { name } })),
    onSuccess: (list) => {
      void client.invalidateQueries({ queryKey: keys.lists() });
      tell(o.made(list.name, list.count ?? 0));
      void navigate({ to: "/lists/$id", params: { id: list.id }, search: {} });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (results.isPending) return <Loading />;
  if (!results.data) return <Failed error={results.error} retry={() => void results.refetch()} />;
  const r = results.data;
  const most = Math.max(1, ...r.outcomes.map((x) => x.people));
  return (
    <section className="mt-5" aria-label={o.title}>
      <div className="flex flex-wrap items-center justify-between gap-3">
        <h2 className="name text-lg">{o.title}</h2>
        {rights.may("export") && (
          <a
            href={`/api/rounds/${round.id}/results.csv`}
            download
            className="inline-flex min-h-7 items-center text-ours underline underline-offset-3"
          >
            {o.file}
          </a>
        )}
      </div>
      <p className="text-quiet">{o.text(r.people, r.attempts, r.reached)}</p>
      {r.outcomes.length === 0 ? (
        <p className="py-3 text-quiet">{o.none}</p>
      ) : (
        <table className="mt-3 w-full max-w-2xl" data-testid="round-results">
          <caption className="sr-only">{o.outcomes}</caption>
          <tbody>
            {r.outcomes.map((x) => (
              <tr key={x.outcome} className="border-b border-rule">
                <th scope="row" className="w-48 py-1 text-left font-normal">
                  {x.outcome}
                </th>
                <td className="w-12 py-1 text-right font-semibold">{x.people}</td>
                <td className="py-1 pl-4">
                  <svg aria-hidden className="h-3 w-full" preserveAspectRatio="none" viewBox="0 0 100 4">
                    <rect
                      width={(100 * x.people) / most}
                      height="4"
                      className={x.reached ? "fill-theirs" : "fill-rule-strong"}
                    />
                  </svg>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {r.not_reached > 0 && (
        <form
          className="mt-5 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            if (name.trim()) make.mutate();
          }}
        >
          <p className="w-full">{o.rest(r.not_reached)}</p>
          <Field
            label={o.listName}
            className="w-80"
            maxLength={120}
            value={name}
            onChange={(e) => {
              setName(e.target.value);
            }}
          />
          <Button type="submit" disabled={make.isPending || !name.trim()}>
            {o.makeList}
          </Button>
        </form>
      )}
    </section>
  );
}
