// The rows of a list of any length: pages are fetched as they come into sight, from anywhere in it.
import { useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";

import type { RecordRow, Schemas } from "../api/client";
import { queries } from "../api/queries";

const page = 100;

/** useRows gives the number of rows, each row that is loaded, and asks for those that come into sight. */
export function useRows(query: Schemas["RowQuery"]) {
  const [sight, setSight] = useState<[number, number]>([0, 0]);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const firstPage = Math.floor(sight[0] / page);
  const lastPage = Math.max(firstPage, Math.floor(sight[1] / page));
  const wanted = [...new Set([0, ...Array.from({ length: lastPage - firstPage + 1 }, (_, i) => firstPage + i)])];
  const client = useQueryClient();
  const at = (p: number) => ({ ...query, offset: p * page, limit: page });
  const pages = useQueries({
    queries: wanted.map((p) => {
      const before = client.getQueryData(queries.rows(at(p - 1)).queryKey);
      return queries.rows(at(p), before?.rows.length === page ? before.rows.at(-1)?.id : undefined);
    }),
  });
  const counted = useQuery(queries.count(query));
  const loaded = new Map<number, RecordRow>();
  for (const p of pages) p.data?.rows.forEach((r, i) => loaded.set(p.data.offset + i, r));
  const start = pages[0];
  // Until the count is there, what is loaded is all there is for certain.
  const count = Math.max(counted.data?.count ?? 0, start?.data && !counted.data ? start.data.rows.length : 0);
  const onSight = useCallback((first: number, last: number) => {
    clearTimeout(timer.current);
    // While somebody scrolls fast, what rushes past is not asked for.
    timer.current = setTimeout(() => {
      setSight((was) => (was[0] === first && was[1] === last ? was : [first, last]));
    }, 40);
  }, []);
  return {
    count: start?.data?.rows.length === 0 && !start.isPlaceholderData ? 0 : count,
    more: counted.data?.more ?? false,
    counted: counted.data !== undefined && !counted.isPlaceholderData,
    rowAt: (i: number) => loaded.get(i),
    rows: [...loaded.values()],
    pending: start?.isPending ?? true,
    error: start?.error ?? null,
    retry: () => void start?.refetch(),
    onSight,
  };
}
