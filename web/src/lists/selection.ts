// Which rows are picked: some, or all that match but for some.
import { useCallback, useMemo, useState } from "react";

import { api, ask, type RecordRow, type Schemas } from "../api/client";

type Picked = { all: false; ids: Set<string> } | { all: true; without: Set<string> };

const nothing: Picked = { all: false, ids: new Set() };

/** useSelection holds what is picked of a list; another list begins with nothing. */
export function useSelection(query: Schemas["RowQuery"], total: number) {
  const key = JSON.stringify(query);
  const [state, setState] = useState<{ key: string; picked: Picked; anchor: number }>({
    key,
    picked: nothing,
    anchor: 0,
  });
  const picked = state.key === key ? state.picked : nothing;
  const anchor = state.key === key ? state.anchor : 0;
  const set = useCallback(
    (next: Picked, at?: number) => {
      setState((s) => ({ key, picked: next, anchor: at ?? s.anchor }));
    },
    [key],
  );
  const has = useCallback((id: string) => (picked.all ? !picked.without.has(id) : picked.ids.has(id)), [picked]);
  const toggle = (row: RecordRow, index: number, range: boolean) => {
    if (range && !picked.all) {
      const from = Math.min(anchor, index);
      const to = Math.max(anchor, index);
      // What lies between may not be loaded: the server knows.
      void ask(
        api.POST("/api/book/rows", { body: { ...query, offset: from, limit: Math.min(500, to - from + 1) } }),
      ).then(
        (page) => {
          set({ all: false, ids: new Set([...picked.ids, ...page.rows.map((r) => r.id)]) }, index);
        },
        () => undefined,
      );
      return;
    }
    const change = (ids: Set<string>) => {
      const next = new Set(ids);
      if (!next.delete(row.id)) next.add(row.id);
      return next;
    };
    set(picked.all ? { all: true, without: change(picked.without) } : { all: false, ids: change(picked.ids) }, index);
  };
  const count = picked.all ? Math.max(0, total - picked.without.size) : picked.ids.size;
  const selection = useMemo<Schemas["Selection"]>(
    () =>
      picked.all
        ? { query, ...(picked.without.size > 0 ? { without: [...picked.without] } : {}) }
        : { ids: [...picked.ids] },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- key stands for query
    [picked, key],
  );
  return {
    has,
    toggle,
    count,
    all: picked.all,
    selection,
    pickRows: (rows: RecordRow[]) => {
      set({ all: false, ids: new Set(rows.map((r) => r.id)) });
    },
    pickAll: () => {
      set({ all: true, without: new Set() });
    },
    clear: () => {
      set(nothing);
    },
  };
}
