import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { lazy, type ReactNode, Suspense } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { focusSlip } from "../calls/focus";
import { t } from "../texts";
import { duration, useNow } from "../ui/clock";
import { Tick } from "../ui/icons";
import { Number } from "../ui/number";
import { Failed, Loading } from "../ui/states";
import { clockTime, dayName, shortTime } from "../ui/times";
import { useTell } from "../ui/toast";

type DayEntry = Schemas["DayEntry"];
type Today = Schemas["Today"];

const suggested = "Berit Osterlund"; // answers for certain in the demo

const OnToday = lazy(() => import("../insight/on_today").then((m) => ({ default: m.OnToday })));

/** Today is the first view: the day hour by hour, and beside it what was done, what goes on and what waits. */
export function Today() {
  const me = useQuery(queries.me).data;
  const { may } = useRights();
  const today = useQuery(queries.today);
  const day = today.data;
  return (
    <>
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="name text-xl">{t.today.greeting(me?.name.split(" ")[0] ?? "")}</h1>
        <p className="text-quiet">{dayName(new Date().toISOString(), 0)}</p>
      </div>
      {may("set_up_firm") && <Steps />}
      {day?.limits?.map((l) => (
        <p key={`${l.what} ${l.scope} ${l.of}`} className="mt-3 text-waiting" data-testid="limit-notice">
          {t.today.limit(l)}{" "}
          <Link to="/settings" search={{ tab: "usage" }} className="underline underline-offset-3">
            {t.today.limitOpen}
          </Link>
        </p>
      ))}
      {me?.demo && (me.role === "rep" ? <TryThis /> : <TryElse admin={me.role === "admin"} />)}
      {today.isPending && <Loading />}
      {today.isError && !day && <Failed error={today.error} retry={() => void today.refetch()} />}
      {day && (
        <div className="mt-4 grid grid-cols-[minmax(0,1fr)_15.5rem] gap-8 max-[63.9rem]:grid-cols-1">
          <section aria-label={t.today.plan}>
            <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.today.plan}</h2>
            {day.plan.length === 0 && <p className="py-2 text-quiet">{t.today.nothing}</p>}
            <Plan entries={day.plan} />
          </section>
          <div className="flex flex-col gap-5">
            {day.meanwhile && <Meanwhile meanwhile={day.meanwhile} />}
            <FiguresOf day={day} />
            <Suspense>
              <OnToday />
            </Suspense>
            <Waiting day={day} />
            <Link to="/calls" search={{}} className="self-start text-ours underline underline-offset-3">
              {t.today.allCalls}
            </Link>
          </div>
        </div>
      )}
    </>
  );
}

/** Meanwhile is what colleagues did while one was away. */
function Meanwhile({ meanwhile: m }: { meanwhile: Schemas["Meanwhile"] }) {
  const first = m.done.slice(0, 8);
  return (
    <section aria-label={t.today.meanwhile} data-testid="meanwhile">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.today.meanwhile}</h2>
      {first.length === 0 && <p className="py-1 text-quiet">{t.today.meanwhileNothing}</p>}
      <ul>
        {first.map((d) => (
          <li key={`${d.kind} ${d.id}`} className="border-b border-rule py-1">
            <Link to="/records/$id" params={{ id: d.record.id }} search={{}} className="name hover:underline">
              {d.record.name}
            </Link>
            <p className="text-sm text-quiet">
              {t.today.meanwhileDone[d.kind]} {d.text} {d.who && `· ${d.who}`}
            </p>
          </li>
        ))}
      </ul>
      {m.done.length > first.length && (
        <p className="text-sm text-quiet">{t.today.meanwhileMore(m.done.length - first.length)}</p>
      )}
    </section>
  );
}

/** Plan is the day in order, with a line where it is now. */
function Plan({ entries }: { entries: DayEntry[] }) {
  const now = useNow(30_000);
  const passed = entries.findIndex((e) => e.place === "hour" && Date.parse(e.at) > now);
  return (
    <ul data-testid="day">
      {entries.map((e, i) => (
        <li key={e.id} className="border-b border-rule">
          {i === passed && (
            <p aria-hidden className="-mb-px flex items-center gap-2 border-t-2 border-ours pt-0.5 text-sm text-ours">
              {clockTime(new Date(now).toISOString())}
            </p>
          )}
          <Planned entry={e} />
        </li>
      ))}
    </ul>
  );
}

function Planned({ entry: e }: { entry: DayEntry }) {
  const when = e.place === "day" ? t.today.whole : e.place === "hour" ? clockTime(e.at) : shortTime(e.at);
  const who = e.record?.name;
  return (
    <div className="flex min-h-10 flex-wrap items-center gap-x-3 gap-y-0.5 py-1.5">
      <span className={`w-20 shrink-0 ${e.late ? "font-semibold text-waiting" : "text-quiet"}`}>{when}</span>
      <div className="min-w-40 flex-1">
        {e.record ? (
          <Link to="/records/$id" params={{ id: e.record.id }} search={{}} className="name hover:underline">
            {who}
          </Link>
        ) : (
          <span className="name">{e.text}</span>
        )}
        <p className="text-sm text-quiet">
          {e.kind !== "call" && `${t.today.kinds[e.kind]}: `}
          {e.text}
          {e.where && ` · ${e.where}`}
          {e.until && ` · ${t.today.until(clockTime(e.until))}`}
        </p>
      </div>
      {e.kind === "call" && e.number && <Number number={e.number} name={who ?? ""} form="bare" />}
      {e.kind !== "visit" && <Done entry={e} />}
    </div>
  );
}

/** Done settles what was to be done; it can be taken back. */
function Done({ entry }: { entry: DayEntry }) {
  const client = useQueryClient();
  const tell = useTell();
  const change = useMutation({
    mutationFn: (body: Schemas["FollowUpChange"]) =>
      ask(api.PATCH("/api/follow-ups/{id}", { params: { path: { id: entry.id } }, body })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.lane() }),
  });
  const settle = () => {
    change.mutate(
      { state: "done", version: entry.version },
      {
        onSuccess: (changed) => {
          const run = () => {
            change.mutate({ state: "open", version: changed.version });
          };
          tell(t.today.done(entry.text), { action: { label: t.lane.undo, run } });
        },
      },
    );
  };
  return (
    <button
      type="button"
      aria-label={t.today.done(entry.text)}
      title={t.today.done(entry.text)}
      disabled={change.isPending}
      onClick={settle}
      className="grid size-7 place-items-center rounded-sm text-quiet hover:bg-rule/60 hover:text-ink"
    >
      <Tick />
    </button>
  );
}

/** FiguresOf is what one has done today, beside what is usual until this time of the day. */
function FiguresOf({ day }: { day: Today }) {
  const kept = useQuery(queries.promises({ whose: "mine" })).data?.counts;
  const rows = [
    {
      what: t.today.calls(day.figures.calls),
      mine: String(day.figures.calls),
      usual: day.usual && String(day.usual.calls),
    },
    {
      what: t.today.conversations(day.figures.conversations),
      mine: String(day.figures.conversations),
      usual: day.usual && String(day.usual.conversations),
    },
    { what: t.today.talk, mine: duration(day.figures.talk_ms), usual: day.usual && duration(day.usual.talk_ms) },
    ...(kept?.kept_percent === undefined
      ? []
      : [{ what: t.today.promises(kept), mine: `${String(kept.kept_percent)} %`, usual: undefined }]),
  ];
  return (
    <section aria-label={t.today.figures} data-testid="figures">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.today.figures}</h2>
      <dl>
        {rows.map((r) => (
          <div key={r.what} className="flex items-baseline gap-2 border-b border-rule py-1.5">
            <dd className="name w-16 shrink-0 text-lg tabular-nums">{r.mine}</dd>
            <dt>
              {r.what}
              {r.usual !== undefined && <span className="block text-sm text-quiet">{t.today.usual(r.usual)}</span>}
            </dt>
          </div>
        ))}
      </dl>
    </section>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section aria-label={title}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{title}</h2>
      <ul>{children}</ul>
    </section>
  );
}

/** Waiting is what goes on and what waits for one: rounds, slips, what colleagues left. */
function Waiting({ day }: { day: Today }) {
  return (
    <>
      {day.rounds.length > 0 && (
        <Part title={t.today.rounds}>
          {day.rounds.map((r) => (
            <li key={r.id} className="border-b border-rule py-1.5">
              <Link to="/rounds/$id" params={{ id: r.id }} search={{}} className="name hover:underline">
                {r.name}
              </Link>
              <p className="text-sm text-quiet">{t.today.round(r.remaining, r.mine === "going")}</p>
            </li>
          ))}
        </Part>
      )}
      {day.unfiled.length > 0 && (
        <Part title={t.today.unfiled}>
          {day.unfiled.map((e) => (
            <li key={e.id} className="border-b border-rule py-1.5">
              <button
                type="button"
                className="name hover:underline"
                onClick={() => {
                  focusSlip(e.id);
                }}
              >
                {e.record?.name ?? e.text}
              </button>
              <p className="text-sm text-quiet">{e.reason}</p>
            </li>
          ))}
        </Part>
      )}
      {day.left.length > 0 && (
        <Part title={t.today.left}>
          {day.left.map((e) => (
            <li key={e.id} className="border-b border-rule py-1.5">
              <span className="name">{e.typed}</span> <span className="text-sm text-quiet">{e.when}</span>
              <p className="text-sm whitespace-pre-wrap">{e.text}</p>
            </li>
          ))}
        </Part>
      )}
    </>
  );
}

/** Steps reminds an admin of what a new firm still has to set up. */
function Steps() {
  const steps = useQuery(queries.firstSteps).data;
  if (!steps || steps.closed) return null;
  return (
    <p className="mt-3 rounded-md border border-ours bg-ours-soft px-4 py-2" data-testid="first-steps">
      <span className="name">{t.today.steps}</span>{" "}
      {t.today.stepsDone(steps.steps.filter((x) => x.done).length, steps.steps.length)}{" "}
      <Link to="/first-steps" className="font-semibold text-ours underline underline-offset-3">
        {t.today.stepsOn}
      </Link>
    </p>
  );
}

function TryThis() {
  const found = useQuery(queries.suggested(suggested)).data?.records.find((r) => r.name === suggested);
  const number = found?.numbers[0];
  if (!found || !number) return null;
  return (
    <div
      className="mt-3 flex flex-wrap items-center gap-4 rounded-md border border-ours bg-ours-soft px-4 py-2"
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

/** TryElse is what a supervisor or an admin may look at first. */
function TryElse({ admin }: { admin: boolean }) {
  const way = "font-semibold text-ours underline underline-offset-3";
  return (
    <p className="mt-3 rounded-md border border-ours bg-ours-soft px-4 py-2" data-testid="try">
      <span className="name">{t.today.tryThis}</span> {admin ? t.today.tryAdmin : t.today.trySupervisor}{" "}
      {admin ? (
        <Link to="/settings" search={{ tab: "outcomes" }} className={way}>
          {t.today.tryOutcomes}
        </Link>
      ) : (
        <Link to="/team" className={way}>
          {t.today.tryTeam}
        </Link>
      )}
    </p>
  );
}
