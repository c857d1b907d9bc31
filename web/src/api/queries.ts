// What is read from the server, each with its key. Live events refresh them (see live.ts).
import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";

import { keys } from "./keys";
import { api, ask, type Schemas } from "./client";
import { withNewest } from "./call_states";

/** CallsAsked says which calls are listed. */
export type CallsAsked = {
  whose: "mine" | "team";
  way?: "inbound" | "outbound" | "internal";
  only?: "missed" | "voicemail" | "unreturned" | "nobody" | "no_outcome";
  q?: string;
};

export const queries = {
  me: queryOptions({
    queryKey: keys.me(),
    queryFn: () => ask(api.GET("/api/session")),
    staleTime: Infinity,
    retry: false,
  }),
  demoPeople: queryOptions({
    queryKey: keys.demoPeople(),
    queryFn: () => ask(api.GET("/api/demo/people")),
    staleTime: Infinity,
  }),
  desk: queryOptions({
    queryKey: keys.desk(),
    queryFn: async () => {
      const desk = await ask(api.GET("/api/desk"));
      return { ...desk, calls: desk.calls.map(withNewest) };
    },
  }),
  team: queryOptions({ queryKey: keys.team(), queryFn: () => ask(api.GET("/api/team")), refetchInterval: 15_000 }),
  queues: queryOptions({ queryKey: keys.queues(), queryFn: () => ask(api.GET("/api/queues")), refetchInterval: 5_000 }),
  queueSettings: queryOptions({
    queryKey: keys.queueSettings(),
    queryFn: () => ask(api.GET("/api/settings/queues")),
  }),
  webForms: queryOptions({
    queryKey: keys.webForms(),
    queryFn: () => ask(api.GET("/api/settings/web-forms")),
  }),
  survey: queryOptions({ queryKey: keys.survey(), queryFn: () => ask(api.GET("/api/settings/survey")) }),
  routes: queryOptions({ queryKey: keys.routes(), queryFn: () => ask(api.GET("/api/routes")) }),
  route: (id: string) =>
    queryOptions({
      queryKey: keys.route(id),
      queryFn: () => ask(api.GET("/api/routes/{id}", { params: { path: { id } } })),
    }),
  calling: queryOptions({ queryKey: keys.me("calling"), queryFn: () => ask(api.GET("/api/me/calling")) }),
  waiting: queryOptions({ queryKey: keys.waiting(), queryFn: () => ask(api.GET("/api/waiting")) }),
  whom: (call: string, q: string) =>
    queryOptions({
      queryKey: keys.whom(call, q),
      queryFn: () => ask(api.GET("/api/calls/{id}/whom", { params: { path: { id: call }, query: q ? { q } : {} } })),
      placeholderData: keepPreviousData,
      staleTime: 0,
    }),
  availabilityOf: (id: string) =>
    queryOptions({
      queryKey: keys.team(id),
      queryFn: () => ask(api.GET("/api/team/{id}/availability", { params: { path: { id } } })),
    }),
  trail: (asked: { who?: string; kind?: string; q?: string }) =>
    infiniteQueryOptions({
      queryKey: keys.trail(asked),
      queryFn: ({ pageParam }) =>
        ask(api.GET("/api/trail", { params: { query: { ...asked, ...(pageParam ? { after: pageParam } : {}) } } })),
      placeholderData: keepPreviousData,
      initialPageParam: "",
      getNextPageParam: (last) => last.next,
    }),
  firmSetup: queryOptions({ queryKey: keys.firmSetup(), queryFn: () => ask(api.GET("/api/settings/firm")) }),
  signInWays: queryOptions({
    queryKey: keys.signInWays(),
    queryFn: () => ask(api.GET("/api/sign-in-ways")),
    staleTime: 60_000,
  }),
  timeOffer: (id: string) =>
    queryOptions({
      queryKey: keys.timeOffer(id),
      queryFn: () => ask(api.GET("/api/follow-ups/{id}/offer", { params: { path: { id } } })),
      staleTime: 0,
    }),
  passkeys: queryOptions({ queryKey: keys.passkeys(), queryFn: () => ask(api.GET("/api/passkeys")) }),
  identityProvider: queryOptions({
    queryKey: keys.identityProvider(),
    queryFn: () => ask(api.GET("/api/identity-provider")),
  }),
  firstAdmin: queryOptions({ queryKey: keys.firstAdmin(), queryFn: () => ask(api.GET("/api/first-admin")) }),
  firstSteps: queryOptions({ queryKey: keys.firstSteps(), queryFn: () => ask(api.GET("/api/first-steps")) }),
  absences: queryOptions({ queryKey: keys.absences(), queryFn: () => ask(api.GET("/api/absences")) }),
  promises: (of: { record_id?: string; whose?: "mine" | "team" }) =>
    queryOptions({
      queryKey: keys.lane("promises", of),
      queryFn: () => ask(api.GET("/api/promises", { params: { query: of } })),
    }),
  usage: (month: string | undefined) =>
    queryOptions({
      queryKey: keys.usage(month ?? ""),
      queryFn: () => ask(api.GET("/api/use", { params: { query: month ? { month } : {} } })),
    }),
  lineHealth: queryOptions({ queryKey: keys.lines("health"), queryFn: () => ask(api.GET("/api/line-health")) }),
  privacy: queryOptions({ queryKey: keys.privacy(), queryFn: () => ask(api.GET("/api/privacy")) }),
  erasurePreview: (id: string) =>
    queryOptions({
      queryKey: keys.erasure(id),
      queryFn: () => ask(api.GET("/api/records/{id}/erasure", { params: { path: { id } } })),
      staleTime: 0,
    }),
  consents: (id: string) =>
    queryOptions({
      queryKey: keys.consents(id),
      queryFn: () => ask(api.GET("/api/records/{id}/consents", { params: { path: { id } } })),
    }),
  roles: queryOptions({ queryKey: keys.roles(), queryFn: () => ask(api.GET("/api/roles")) }),
  staff: queryOptions({ queryKey: keys.staff(), queryFn: () => ask(api.GET("/api/staff")) }),
  belongings: (id: string) =>
    queryOptions({
      queryKey: keys.belongings(id),
      queryFn: () => ask(api.GET("/api/staff/{id}/belongings", { params: { path: { id } } })),
      staleTime: 0,
    }),
  signInLink: (token: string) =>
    queryOptions({
      queryKey: keys.signInLink(token),
      queryFn: () => ask(api.POST("/api/sign-in-link", { body: { token } })),
      retry: false,
      staleTime: Infinity,
    }),
  lines: queryOptions({ queryKey: keys.lines(), queryFn: () => ask(api.GET("/api/settings/lines")) }),
  states: queryOptions({ queryKey: keys.states(), queryFn: () => ask(api.GET("/api/settings/availability")) }),
  sound: queryOptions({ queryKey: keys.sound(), queryFn: () => ask(api.GET("/api/sound")) }),
  telephone: queryOptions({ queryKey: keys.telephone(), queryFn: () => ask(api.GET("/api/telephone")) }),
  words: (id: string) =>
    queryOptions({
      queryKey: keys.words(id),
      queryFn: () => ask(api.GET("/api/recordings/{id}/words", { params: { path: { id } } })),
    }),
  preparedFor: (call: string) =>
    queryOptions({
      queryKey: keys.prepared(call),
      queryFn: () => ask(api.GET("/api/calls/{id}/prepared", { params: { path: { id: call } } })),
    }),
  recordingSettings: queryOptions({
    queryKey: keys.recordingSettings(),
    queryFn: () => ask(api.GET("/api/settings/recording")),
  }),
  tokens: queryOptions({ queryKey: keys.tokens(), queryFn: () => ask(api.GET("/api/tokens")) }),
  webhooks: queryOptions({ queryKey: keys.webhooks(), queryFn: () => ask(api.GET("/api/webhooks")) }),
  deliveries: queryOptions({
    queryKey: keys.deliveries(),
    queryFn: () => ask(api.GET("/api/webhook-deliveries")),
    refetchInterval: 10_000,
  }),
  scripts: queryOptions({ queryKey: keys.scripts(), queryFn: () => ask(api.GET("/api/scripts")) }),
  callScript: (call: string, script: string | undefined, type: string) =>
    queryOptions({
      queryKey: keys.callScript(call, script, type),
      queryFn: () =>
        ask(
          api.GET("/api/calls/{id}/script", {
            params: { path: { id: call }, query: script ? { script_id: script } : {} },
          }),
        ),
      placeholderData: keepPreviousData,
    }),
  myDay: (at: string) =>
    queryOptions({
      queryKey: keys.myDay(at.slice(0, 13)),
      queryFn: () => ask(api.GET("/api/my-day", { params: { query: { at } } })),
    }),
  figures: queryOptions({
    queryKey: keys.figures(),
    queryFn: () => ask(api.GET("/api/figures")),
    staleTime: Infinity,
  }),
  report: (query: Schemas["ReportQuery"]) =>
    queryOptions({
      queryKey: keys.report(query),
      queryFn: () => ask(api.POST("/api/figures/report", { body: query })),
      placeholderData: keepPreviousData,
      staleTime: 10_000,
    }),
  reports: queryOptions({ queryKey: keys.reports(), queryFn: () => ask(api.GET("/api/reports")) }),
  found: (sought: Schemas["CallsSought"]) =>
    infiniteQueryOptions({
      queryKey: keys.found(sought),
      queryFn: ({ pageParam }) =>
        ask(
          api.POST("/api/figures/calls", {
            body: { ...sought, ...(pageParam ? { after: pageParam, without_facets: true } : {}) },
          }),
        ),
      initialPageParam: "",
      getNextPageParam: (last) => last.next,
      placeholderData: keepPreviousData,
      staleTime: 10_000,
    }),
  narrow: (sought: Schemas["CallsSought"]) =>
    queryOptions({
      queryKey: keys.found("narrow", sought),
      queryFn: () => ask(api.POST("/api/figures/calls", { body: sought })),
      placeholderData: keepPreviousData,
      staleTime: 30_000,
    }),
  topics: queryOptions({ queryKey: keys.topics(), queryFn: () => ask(api.GET("/api/topics")) }),
  saidTopics: (call: string) =>
    queryOptions({
      queryKey: keys.saidTopics(call),
      queryFn: () => ask(api.GET("/api/calls/{id}/topics", { params: { path: { id: call } } })),
    }),
  scorecards: queryOptions({ queryKey: keys.scorecards(), queryFn: () => ask(api.GET("/api/scorecards")) }),
  callScores: (call: string) =>
    queryOptions({
      queryKey: keys.callScores(call),
      queryFn: () => ask(api.GET("/api/calls/{id}/scores", { params: { path: { id: call } } })),
    }),
  myScores: queryOptions({ queryKey: keys.myScores(), queryFn: () => ask(api.GET("/api/scores")) }),
  wall: queryOptions({ queryKey: keys.wall(), queryFn: () => ask(api.GET("/api/wall")), refetchInterval: 3_000 }),
  sources: (days: number) =>
    queryOptions({
      queryKey: keys.sources(days),
      queryFn: () => ask(api.GET("/api/sources", { params: { query: { days } } })),
    }),
  sequences: queryOptions({
    queryKey: keys.sequences(),
    queryFn: () => ask(api.GET("/api/sequences")),
    staleTime: 60_000,
  }),
  sequencePreview: (id: string, whom: { record_id: string } | { list_id: string }) =>
    queryOptions({
      queryKey: keys.sequencePreview(id, whom),
      queryFn: () => ask(api.GET("/api/sequences/{id}/preview", { params: { path: { id }, query: whom } })),
      staleTime: 0,
    }),
  memberships: (id: string) =>
    queryOptions({
      queryKey: keys.record(id, "sequences"),
      queryFn: () => ask(api.GET("/api/records/{id}/sequences", { params: { path: { id } } })),
    }),
  templates: queryOptions({
    queryKey: keys.templates(),
    queryFn: () => ask(api.GET("/api/templates")),
    staleTime: 60_000,
  }),
  mailSettings: queryOptions({ queryKey: keys.mailSettings(), queryFn: () => ask(api.GET("/api/me/mail")) }),
  thread: (of: { record?: string | undefined; address?: string | undefined }) =>
    queryOptions({
      queryKey: keys.thread(of.record ?? of.address),
      queryFn: () =>
        ask(
          api.GET("/api/messages", {
            params: {
              query: { ...(of.record ? { record_id: of.record } : {}), ...(of.address ? { address: of.address } : {}) },
            },
          }),
        ),
    }),
  outcomeSettings: queryOptions({
    queryKey: keys.outcomeSettings(),
    queryFn: () => ask(api.GET("/api/settings/outcomes")),
  }),
  prepared: queryOptions({
    queryKey: keys.prepared(),
    queryFn: () => ask(api.GET("/api/prepared-messages")),
    staleTime: 300_000,
  }),
  briefing: (call: string, links: string) =>
    queryOptions({
      queryKey: keys.briefing(call, links),
      queryFn: () => ask(api.GET("/api/calls/{id}/briefing", { params: { path: { id: call } } })),
      staleTime: Infinity, // as it was when the call began
    }),
  rings: queryOptions({ queryKey: keys.rings(), queryFn: () => ask(api.GET("/api/rings")) }),
  outside: queryOptions({
    queryKey: keys.outside(),
    queryFn: () => ask(api.GET("/api/outside")),
    refetchInterval: 700,
    refetchIntervalInBackground: true,
  }),
  lane: queryOptions({
    queryKey: keys.lane(),
    queryFn: async () => {
      const lane = await ask(api.GET("/api/lane"));
      clockOffset = Date.parse(lane.at) - Date.now();
      return lane;
    },
    refetchInterval: 30_000,
  }),
  today: queryOptions({
    queryKey: keys.lane("today"), // it changes whenever the lane does
    queryFn: () => ask(api.GET("/api/today")),
    refetchInterval: 60_000,
  }),
  record: (id: string) =>
    queryOptions({
      queryKey: keys.record(id),
      queryFn: () => ask(api.GET("/api/records/{id}", { params: { path: { id } } })),
    }),
  hanging: (id: string) =>
    queryOptions({
      queryKey: keys.hanging(id),
      queryFn: () => ask(api.GET("/api/records/{id}/hanging", { params: { path: { id } } })),
      staleTime: 0,
    }),
  sessions: queryOptions({ queryKey: keys.sessions(), queryFn: () => ask(api.GET("/api/sessions")), staleTime: 0 }),
  bulk: (id: string | undefined) =>
    queryOptions({
      queryKey: keys.bulk(id),
      enabled: id !== undefined,
      queryFn: () => ask(api.GET("/api/bulk/{id}", { params: { path: { id: id ?? "" } } })),
      refetchInterval: (query) => (query.state.data && query.state.data.state !== "running" ? false : 700),
    }),
  history: (id: string, kind: "all" | "call" | "message" | "follow_up" | "change") =>
    infiniteQueryOptions({
      queryKey: keys.history(id, kind),
      queryFn: ({ pageParam }) =>
        ask(api.GET("/api/records/{id}/history", { params: { path: { id }, query: { kind, before: pageParam } } })),
      initialPageParam: "",
      getNextPageParam: (last) => last.next || undefined,
    }),
  book: queryOptions({
    queryKey: keys.book(),
    queryFn: () => ask(api.GET("/api/book")),
    staleTime: 60_000,
  }),
  /** after is the row before the first of these, where it is known; it makes the answer quicker, and no other. */
  rows: (query: Schemas["RowQuery"], after?: string) =>
    queryOptions({
      queryKey: keys.rows(query),
      queryFn: ({ signal }) =>
        ask(api.POST("/api/book/rows", { body: { ...query, ...(after ? { after } : {}) }, signal })),
      placeholderData: keepPreviousData,
      staleTime: 15_000,
    }),
  count: (query: Schemas["RowQuery"]) =>
    queryOptions({
      queryKey: keys.rows("count", query),
      queryFn: ({ signal }) => ask(api.POST("/api/book/count", { body: query, signal })),
      placeholderData: keepPreviousData,
    }),
  rounds: queryOptions({ queryKey: keys.rounds(), queryFn: () => ask(api.GET("/api/rounds")) }),
  round: (id: string) =>
    queryOptions({
      queryKey: keys.round(id),
      queryFn: () => ask(api.GET("/api/rounds/{id}", { params: { path: { id } } })),
      refetchInterval: 30_000,
    }),
  roundPeople: (id: string, from: number, count: number) =>
    queryOptions({
      queryKey: keys.round(id, "people", from, count),
      queryFn: () => ask(api.GET("/api/rounds/{id}/people", { params: { path: { id }, query: { from, count } } })),
      placeholderData: keepPreviousData,
    }),
  roundResults: (id: string) =>
    queryOptions({
      queryKey: keys.round(id, "results"),
      queryFn: () => ask(api.GET("/api/rounds/{id}/results", { params: { path: { id } } })),
    }),
  roundChoices: queryOptions({ queryKey: keys.roundChoices(), queryFn: () => ask(api.GET("/api/rounds/defaults")) }),
  lists: queryOptions({ queryKey: keys.lists(), queryFn: () => ask(api.GET("/api/lists")) }),
  duplicates: queryOptions({ queryKey: keys.duplicates(), queryFn: () => ask(api.GET("/api/duplicates")) }),
  duplicatesOf: (id: string) =>
    queryOptions({
      queryKey: keys.record(id, "duplicates"),
      queryFn: () => ask(api.GET("/api/records/{id}/duplicates", { params: { path: { id } } })),
    }),
  imports: queryOptions({ queryKey: keys.imports(), queryFn: () => ask(api.GET("/api/imports")) }),
  import: (id: string) =>
    queryOptions({
      queryKey: keys.imports(id),
      queryFn: () => ask(api.GET("/api/imports/{id}", { params: { path: { id } } })),
    }),
  rejects: (id: string) =>
    queryOptions({
      queryKey: keys.imports(id, "rejects"),
      queryFn: () => ask(api.GET("/api/imports/{id}/rejects", { params: { path: { id } } })),
    }),
  bookSettings: queryOptions({ queryKey: keys.bookSettings(), queryFn: () => ask(api.GET("/api/settings/book")) }),
  doNotCall: queryOptions({ queryKey: keys.doNotCall(), queryFn: () => ask(api.GET("/api/do-not-call")) }),
  followUps: (whose: "mine" | "team", state: "open" | "done") =>
    queryOptions({
      queryKey: keys.followUps(whose, state),
      queryFn: () => ask(api.GET("/api/follow-ups", { params: { query: { whose, state } } })),
    }),
  find: (q: string) =>
    queryOptions({
      queryKey: keys.find(q),
      queryFn: ({ signal }) => ask(api.GET("/api/find", { params: { query: { q } }, signal })),
      placeholderData: keepPreviousData,
      staleTime: 2_000,
    }),
  /** whom the first minute's hint names: asked once, whatever is called meanwhile */
  suggested: (name: string) =>
    queryOptions({
      queryKey: keys.suggested(name),
      queryFn: () => ask(api.GET("/api/find", { params: { query: { q: name } } })),
      staleTime: Infinity,
    }),
  calls: (asked: CallsAsked) =>
    infiniteQueryOptions({
      queryKey: keys.calls(asked),
      queryFn: ({ pageParam }) => ask(api.GET("/api/calls", { params: { query: { ...asked, before: pageParam } } })),
      placeholderData: keepPreviousData,
      initialPageParam: "",
      getNextPageParam: (last) => last.next || undefined,
    }),
  call: (id: string) =>
    queryOptions({
      queryKey: keys.call(id),
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
