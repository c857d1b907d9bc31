import type { QueryClient } from "@tanstack/react-query";
import {
  createRootRouteWithContext,
  createRoute,
  createRouter,
  type ErrorComponentProps,
  lazyRouteComponent,
  Outlet,
  redirect,
} from "@tanstack/react-router";

import { Failure } from "../api/client";
import { queries } from "../api/queries";
import { callsIn } from "../calls/calls_address";
import { type Kind } from "../book/values";
import type { View } from "../lists/rows";
import { LanePage } from "../lane/lane";
import { t } from "../texts";
import { Today } from "../lane/today";
import { Button } from "../ui/button";
import { Failed } from "../ui/states";
import { setPlace } from "../ui/times";
import { pages } from "./pages";
import { Frame } from "./frame";

/** Broken stands where a page has failed: never a blank one. */
function Broken({ error, reset }: ErrorComponentProps) {
  if (error instanceof Failure) return <Failed error={error} retry={reset} />;
  return (
    <div role="alert" className="p-6">
      <p className="mb-3">{t.failed.page}</p>
      <Button
        onClick={() => {
          location.reload();
        }}
      >
        {t.failed.reload}
      </Button>
    </div>
  );
}

/** ownAddress lets only addresses of this site pass, as path and query. */
function ownAddress(to: string | undefined): string | undefined {
  if (!to) return undefined;
  try {
    const url = new URL(to, location.origin);
    return url.origin === location.origin ? url.pathname + url.search : undefined;
  } catch {
    return undefined;
  }
}

// What an address brings is only taken as far as it is known: undefined takes away what is not.
const text = (value: unknown) => (typeof value === "string" && value ? value.slice(0, 200) : undefined);

const root = createRootRouteWithContext<{ client: QueryClient }>()({ component: Outlet, errorComponent: Broken });

const signIn = createRoute({
  getParentRoute: () => root,
  path: "/sign-in",
  validateSearch: (s): { to?: string | undefined; problem?: string | undefined } => ({
    to: ownAddress(text(s["to"])),
    problem: text(s["problem"]),
  }),
  component: lazyRouteComponent(() => import("./sign_in"), "SignIn"),
});

const welcome = createRoute({
  getParentRoute: () => root,
  path: "/welcome",
  component: lazyRouteComponent(() => import("./welcome"), "Welcome"),
});

const factor = createRoute({
  getParentRoute: () => root,
  path: "/second-factor",
  component: lazyRouteComponent(() => import("./factor_page"), "FactorPage"),
  beforeLoad: async ({ context }) => {
    await context.client.ensureQueryData(queries.me);
  },
});

const setUp = createRoute({
  getParentRoute: () => root,
  path: "/set-up",
  component: lazyRouteComponent(() => import("./set_up"), "SetUp"),
});

const outside = createRoute({
  getParentRoute: () => root,
  path: "/outside",
  component: lazyRouteComponent(() => import("./outside"), "OutsidePhone"),
});

const signedInOnly = async (client: QueryClient, href: string) => {
  try {
    const me = await client.ensureQueryData(queries.me);
    setPlace(me.zone, me.firm.region);
    if (me.second_factor_missing) throw redirect({ to: "/second-factor" });
  } catch (e) {
    if (e instanceof Failure && e.problem?.status === 401) {
      throw redirect({ to: "/sign-in", search: href === "/" ? {} : { to: href } });
    }
    throw e;
  }
};

const print = createRoute({
  getParentRoute: () => root,
  path: "/print/$id",
  component: lazyRouteComponent(() => import("../book/print_page"), "PrintPage"),
  beforeLoad: ({ context, location }) => signedInOnly(context.client, location.href),
});

const frame = createRoute({
  getParentRoute: () => root,
  id: "frame",
  component: Frame,
  beforeLoad: ({ context, location }) => signedInOnly(context.client, location.href),
});

const today = createRoute({ getParentRoute: () => frame, path: "/", component: Today });
const lane = createRoute({ getParentRoute: () => frame, path: "/lane", component: LanePage });
const long = (value: unknown) => (typeof value === "string" && value ? value.slice(0, 20_000) : undefined);
// The router reads what looks like JSON: a filter may come as an object, a search as a number.
const json = (value: unknown) => (value && typeof value === "object" ? JSON.stringify(value) : long(value));

const otherKinds = [
  "contact",
  "lead",
  "company",
  "deal",
  "case",
  "product",
  "quote",
  "order",
  "delivery",
  "invoice",
  "visit",
] as const;
const kindIn = (value: unknown): Kind | undefined => otherKinds.find((k) => k === value);

const viewIn = (s: Record<string, unknown>): View => ({
  q: s["q"] === undefined ? undefined : text(String(s["q"] as string)),
  f: json(s["f"]),
  sort: text(s["sort"]),
  down: s["down"] === true ? true : undefined,
  cols: text(s["cols"]),
});

const people = createRoute({
  getParentRoute: () => frame,
  path: "/people",
  component: lazyRouteComponent(pages.people, "People"),
  validateSearch: (s): View & { kind?: Kind | undefined } => ({ ...viewIn(s), kind: kindIn(s["kind"]) }),
});
const lists = createRoute({
  getParentRoute: () => frame,
  path: "/lists",
  component: lazyRouteComponent(pages.lists, "Lists"),
});
const list = createRoute({
  getParentRoute: () => frame,
  path: "/lists/$id",
  component: lazyRouteComponent(pages.lists, "ListPage"),
  validateSearch: viewIn,
});
const startRound = createRoute({
  getParentRoute: () => frame,
  path: "/rounds/new",
  component: lazyRouteComponent(() => import("../rounds/start"), "StartRound"),
  validateSearch: (s): { list?: string | undefined; lane?: boolean | undefined } => ({
    list: text(s["list"]),
    lane: s["lane"] === true ? true : undefined,
  }),
});
const round = createRoute({
  getParentRoute: () => frame,
  path: "/rounds/$id",
  component: lazyRouteComponent(() => import("../rounds/round_page"), "RoundPage"),
  validateSearch: (s): { show?: "settings" | undefined } => ({
    show: s["show"] === "settings" ? "settings" : undefined,
  }),
});
const followUps = createRoute({
  getParentRoute: () => frame,
  path: "/follow-ups",
  component: lazyRouteComponent(() => import("../lists/follow_ups_page"), "FollowUpsPage"),
  validateSearch: (s): { whose?: "team" | undefined; state?: "done" | undefined } => ({
    whose: s["whose"] === "team" ? "team" : undefined,
    state: s["state"] === "done" ? "done" : undefined,
  }),
});
const duplicates = createRoute({
  getParentRoute: () => frame,
  path: "/duplicates",
  component: lazyRouteComponent(() => import("../lists/duplicates"), "Duplicates"),
});
const merge = createRoute({
  getParentRoute: () => frame,
  path: "/merge",
  component: lazyRouteComponent(() => import("../lists/merge"), "Merge"),
  validateSearch: (s): { a?: string | undefined; b?: string | undefined } => ({ a: text(s["a"]), b: text(s["b"]) }),
});
const imports = createRoute({
  getParentRoute: () => frame,
  path: "/imports",
  component: lazyRouteComponent(() => import("../book/imports"), "Imports"),
  validateSearch: (s): { mends?: string | undefined; kind?: Kind | undefined } => ({
    mends: text(s["mends"]),
    kind: kindIn(s["kind"]),
  }),
});
const importPage = createRoute({
  getParentRoute: () => frame,
  path: "/imports/$id",
  component: lazyRouteComponent(() => import("../book/import"), "ImportPage"),
});
const steps = createRoute({
  getParentRoute: () => frame,
  path: "/first-steps",
  component: lazyRouteComponent(() => import("../settings/first_steps"), "FirstSteps"),
});
const settings = createRoute({
  getParentRoute: () => frame,
  path: "/settings",
  component: lazyRouteComponent(() => import("../settings/settings"), "Settings"),
  validateSearch: (s): { tab?: string | undefined; route?: string | undefined } => ({
    tab: text(s["tab"]),
    route: text(s["route"]),
  }),
});
const dial = createRoute({
  getParentRoute: () => frame,
  path: "/dial",
  component: lazyRouteComponent(pages.dial, "DialPage"),
  validateSearch: (s): { to?: string | undefined } => ({
    to: s["to"] === undefined ? undefined : text(String(s["to"] as string)),
  }),
});
const record = createRoute({
  getParentRoute: () => frame,
  path: "/records/$id",
  component: lazyRouteComponent(pages.record, "RecordSheet"),
  validateSearch: (s): { show?: "message" | undefined } => ({ show: s["show"] === "message" ? "message" : undefined }),
});
const insight = createRoute({
  getParentRoute: () => frame,
  path: "/insight",
  component: lazyRouteComponent(() => import("../insight/insight"), "Insight"),
  validateSearch: (
    s,
  ): { tab?: "calls" | "sources" | "scores" | undefined; q?: string | undefined; report?: string | undefined } => ({
    tab: (["calls", "sources", "scores"] as const).find((x) => x === s["tab"]),
    q: json(s["q"]),
    report: text(s["report"]),
  }),
});
const apiPage = createRoute({
  getParentRoute: () => frame,
  path: "/programs",
  component: lazyRouteComponent(() => import("../settings/api_page"), "ApiPage"),
});
const messages = createRoute({
  getParentRoute: () => frame,
  path: "/messages",
  component: lazyRouteComponent(() => import("../outreach/thread"), "ThreadPage"),
  validateSearch: (s): { address?: string | undefined } => ({
    address: s["address"] === undefined ? undefined : text(String(s["address"] as string)),
  }),
});
const team = createRoute({
  getParentRoute: () => frame,
  path: "/team",
  component: lazyRouteComponent(() => import("../team/team"), "Team"),
});
const calls = createRoute({
  getParentRoute: () => frame,
  path: "/calls",
  component: lazyRouteComponent(pages.calls, "Calls"),
  validateSearch: callsIn,
});
const call = createRoute({
  getParentRoute: () => frame,
  path: "/calls/$id",
  component: lazyRouteComponent(() => import("../calls/call_page"), "CallPage"),
  validateSearch: (s): { at?: number | undefined } => ({ at: Math.max(0, Number(s["at"])) || undefined }),
});

/** NoPage is shown at an address that nothing has: what lies on the desk stays. */
function NoPage() {
  return (
    <div className="max-w-prose py-2">
      <h1 className="name text-lg">{t.nowhere.title}</h1>
      <p className="mt-1 text-quiet">{t.nowhere.text}</p>
    </div>
  );
}
const nowhere = createRoute({ getParentRoute: () => frame, path: "$", component: NoPage });

export const makeRouter = (client: QueryClient) =>
  createRouter({
    routeTree: root.addChildren([
      welcome,
      setUp,
      factor,
      signIn,
      outside,
      print,
      frame.addChildren([
        steps,
        today,
        lane,
        people,
        lists,
        list,
        startRound,
        round,
        followUps,
        duplicates,
        merge,
        imports,
        importPage,
        settings,
        dial,
        record,
        messages,
        apiPage,
        insight,
        calls,
        call,
        team,
        nowhere,
      ]),
    ]),
    context: { client },
    // Each record, call, list and round has a page of its own: what is typed, asked or under way on one is not another's.
    defaultRemountDeps: ({ params }) => params,
    defaultErrorComponent: Broken,
    defaultNotFoundComponent: () => <Failed error={undefined} title={t.failed.title} />,
  });

declare module "@tanstack/react-router" {
  interface Register {
    router: ReturnType<typeof makeRouter>;
  }
}
