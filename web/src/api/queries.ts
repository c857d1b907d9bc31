// What is read from the server, each with its key. Live events refresh them (see live.ts).
import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";

import { api, ask } from "./client";
import { withNewest } from "./call_states";

export const queries = {
  me: queryOptions({
    queryKey: ["me"],
    queryFn: () => ask(api.GET("/api/session")),
    staleTime: Infinity,
    retry: false,
  }),
  demoPeople: queryOptions({
    queryKey: ["demo-people"],
    queryFn: () => ask(api.GET("/api/demo/people")),
    staleTime: Infinity,
  }),
  desk: queryOptions({
    queryKey: ["desk"],
    queryFn: async () => ({ calls: (await ask(api.GET("/api/desk"))).calls.map(withNewest) }),
  }),
  lane: queryOptions({
    queryKey: ["lane"],
    queryFn: async () => {
      const lane = await ask(api.GET("/api/lane"));
      clockOffset = Date.parse(lane.at) - Date.now();
      return lane;
    },
    refetchInterval: 30_000,
  }),
  record: (id: string) =>
    queryOptions({
      queryKey: ["record", id],
      queryFn: () => ask(api.GET("/api/records/{id}", { params: { path: { id } } })),
    }),
  history: (id: string, kind: "all" | "call" | "follow_up" | "change") =>
    infiniteQueryOptions({
      queryKey: ["history", id, kind],
      queryFn: ({ pageParam }) =>
        ask(api.GET("/api/records/{id}/history", { params: { path: { id }, query: { kind, before: pageParam } } })),
      initialPageParam: "",
      getNextPageParam: (last) => last.next || undefined,
    }),
  people: (q: string, kind: "people" | "company") =>
    infiniteQueryOptions({
      queryKey: ["people", kind, q],
      queryFn: ({ pageParam, signal }) =>
        ask(api.GET("/api/people", { params: { query: { q, kind, after: pageParam } }, signal })),
      initialPageParam: "",
      getNextPageParam: (last) => last.next || undefined,
      placeholderData: keepPreviousData,
    }),
  find: (q: string) =>
    queryOptions({
      queryKey: ["find", q],
      queryFn: ({ signal }) => ask(api.GET("/api/find", { params: { query: { q } }, signal })),
      placeholderData: keepPreviousData,
      staleTime: 2_000,
    }),
  calls: (whose: "mine" | "team") =>
    infiniteQueryOptions({
      queryKey: ["calls", whose],
      queryFn: ({ pageParam }) => ask(api.GET("/api/calls", { params: { query: { whose, before: pageParam } } })),
      initialPageParam: "",
      getNextPageParam: (last) => last.next || undefined,
    }),
  call: (id: string) =>
    queryOptions({
      queryKey: ["call", id],
      queryFn: async () => {
        const page = await ask(api.GET("/api/calls/{id}", { params: { path: { id } } }));
        return { ...page, call: withNewest(page.call) };
      },
    }),
};

let clockOffset = 0;

/** serverNow is the server's time in milliseconds: this machine's clock may be wrong. */
export function serverNow(): number {
  return Date.now() + clockOffset;
}
