import type { QueryClient } from "@tanstack/react-query";
import {
  createRootRouteWithContext,
  createRoute,
  createRouter,
  type ErrorComponentProps,
  Outlet,
  redirect,
} from "@tanstack/react-router";

import { Failure } from "../api/client";
import { queries } from "../api/queries";
import { People } from "../book/people";
import { RecordSheet } from "../book/record";
import { CallPage } from "../call/call_page";
import { Calls } from "../call/calls";
import { LanePage } from "../lane/lane";
import { t } from "../messages";
import { Today } from "../today/today";
import { Button } from "../ui/button";
import { Failed } from "../ui/states";
import { setZone } from "../ui/times";
import { Frame } from "./frame";
import { SignIn } from "./sign_in";

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
  validateSearch: (s): { to?: string | undefined } => ({ to: ownAddress(text(s["to"])) }),
  component: SignIn,
});

const frame = createRoute({
  getParentRoute: () => root,
  id: "frame",
  component: Frame,
  beforeLoad: async ({ context, location }) => {
    try {
      setZone((await context.client.ensureQueryData(queries.me)).zone);
    } catch (e) {
      if (e instanceof Failure && e.problem?.status === 401) {
        throw redirect({ to: "/sign-in", search: location.href === "/" ? {} : { to: location.href } });
      }
      throw e;
    }
  },
});

const today = createRoute({ getParentRoute: () => frame, path: "/", component: Today });
const lane = createRoute({ getParentRoute: () => frame, path: "/lane", component: LanePage });
const people = createRoute({
  getParentRoute: () => frame,
  path: "/people",
  component: People,
  validateSearch: (s): { q?: string | undefined; kind?: "company" | undefined } => ({
    q: text(s["q"] === undefined ? undefined : String(s["q"])),
    kind: s["kind"] === "company" ? "company" : undefined,
  }),
});
const record = createRoute({ getParentRoute: () => frame, path: "/records/$id", component: RecordSheet });
const calls = createRoute({
  getParentRoute: () => frame,
  path: "/calls",
  component: Calls,
  validateSearch: (s): { whose?: "team" | undefined } => ({ whose: s["whose"] === "team" ? "team" : undefined }),
});
const call = createRoute({ getParentRoute: () => frame, path: "/calls/$id", component: CallPage });

export const makeRouter = (client: QueryClient) =>
  createRouter({
    routeTree: root.addChildren([signIn, frame.addChildren([today, lane, people, record, calls, call])]),
    context: { client },
    defaultErrorComponent: Broken,
    defaultNotFoundComponent: () => <Failed error={undefined} title={t.failed.title} />,
  });

declare module "@tanstack/react-router" {
  interface Register {
    router: ReturnType<typeof makeRouter>;
  }
}
