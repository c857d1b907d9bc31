import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type KeyboardEvent, useRef, useState } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { roundPages } from "../texts/round_pages";
import { Button } from "../ui/button";
import { dayShort, clockTime } from "../ui/times";
import { type Round, useRoundAct } from "./round";

type Person = Schemas["RoundPerson"];
const b = roundPages.beads;

/** How many beads are shown: three rows of a sheet at 1280 pixels. Of a longer round those around the current one. */
const shown = 120;

/** Shape draws what came of somebody: a form for each, so that no colour is needed to tell them apart. */
function Shape({ bead }: { bead: Person["bead"] }) {
  switch (bead) {
    case "spoke":
      return <circle cx="9" cy="9" r="6.5" className="fill-theirs" />;
    case "message":
      return (
        <>
          <circle cx="9" cy="9" r="5.75" className="fill-none stroke-ours" strokeWidth="1.5" />
          <circle cx="9" cy="9" r="2.5" className="fill-ours" />
        </>
      );
    case "tried":
      return <rect x="3.5" y="3.5" width="11" height="11" rx="1" className="fill-rule-strong" />;
    case "later":
      return (
        <circle cx="9" cy="9" r="5.75" className="fill-none stroke-waiting" strokeWidth="1.5" strokeDasharray="3 2.5" />
      );
    case "refused":
      return (
        <>
          <circle cx="9" cy="9" r="5.75" className="fill-none stroke-ending" strokeWidth="1.5" />
          <path d="M5 13 13 5" className="stroke-ending" strokeWidth="1.5" />
        </>
      );
    case "skipped":
      return <path d="M4 9h10" className="stroke-edge" strokeWidth="2" />;
    case "cannot":
      return <path d="m5 5 8 8m0-8-8 8" className="stroke-edge" strokeWidth="1.5" />;
    case "current":
      return <circle cx="9" cy="9" r="7.5" className="fill-ours-soft stroke-ours" strokeWidth="2.5" />;
    default:
      return <circle cx="9" cy="9" r="5.75" className="fill-none stroke-rule-strong" strokeWidth="1.5" />;
  }
}

/** about says of somebody on a round what came of it, in a line. */
function about(p: Person): string {
  const parts = [p.outcome || (b.is[p.bead] ?? ""), b.tries(p.attempts)];
  if (p.outcome && p.bead === "later") parts.unshift(b.is["later"] ?? "");
  if (p.left) parts.push(t.rounds.going.left_[p.left] ?? "");
  if (p.why) parts.push(p.why);
  if (p.at) parts.push(`${dayShort(p.at)} ${clockTime(p.at)}`);
  return parts.filter(Boolean).join(", ");
}

/** Beads are the people of a round at a glance, one bead each; hovering or the arrow keys tell who. */
export function Beads({ round }: { round: Round }) {
  const act = useRoundAct(round.id);
  const around = round.current?.position ?? round.called;
  const from = round.total <= shown ? 0 : Math.max(0, Math.min(round.total - shown, around - shown / 2));
  const people = useQuery(queries.roundPeople(round.id, from, shown)).data ?? [];
  const [at, setAt] = useState<number>();
  const row = useRef<HTMLDivElement>(null);
  const told = people.find((p) => p.position === at);
  const stop = at ?? round.current?.position ?? people[0]?.position;
  const onKey = (e: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowLeft: -1, Home: -people.length, End: people.length }[e.key];
    if (step === undefined || people.length === 0) return;
    e.preventDefault();
    const i = people.findIndex((p) => p.position === stop);
    const next = people[Math.max(0, Math.min(people.length - 1, i + step))];
    if (!next) return;
    setAt(next.position);
    row.current?.querySelector<HTMLElement>(`[data-position="${String(next.position)}"]`)?.focus();
  };
  const behind = round.total - from - people.length;
  return (
    <div>
      <div
        ref={row}
        role="group"
        aria-label={b.label}
        className="flex flex-wrap items-center gap-y-0.5"
        data-testid="beads"
        onKeyDown={onKey}
        onMouseLeave={() => {
          setAt(undefined);
        }}
      >
        {from > 0 && <span className="mr-2 text-sm text-quiet">{b.before(from)}</span>}
        {people.map((p) => {
          const bead = p.position === round.current?.position ? "current" : p.bead;
          return (
            <button
              key={p.position}
              type="button"
              tabIndex={p.position === stop ? 0 : -1}
              data-position={p.position}
              data-bead={bead}
              aria-label={`${p.record.name}: ${about(p)}`}
              aria-current={bead === "current" ? "true" : undefined}
              className="flex size-6 items-center justify-center rounded-full hover:bg-rule/60"
              onMouseEnter={() => {
                setAt(p.position);
              }}
              onFocus={() => {
                setAt(p.position);
              }}
              onClick={() => {
                setAt(p.position);
              }}
            >
              <svg
                aria-hidden
                viewBox="0 0 18 18"
                className={bead === "current" ? "size-6" : "size-4.5"}
                data-testid={`bead-${bead}`}
              >
                <Shape bead={bead} />
              </svg>
            </button>
          );
        })}
        {behind > 0 && <span className="ml-2 text-sm text-quiet">{b.after(behind)}</span>}
      </div>
      <p className="flex min-h-7 items-center gap-2 text-sm text-quiet" data-testid="bead-told">
        {told ? (
          <>
            <Link
              to="/records/$id"
              params={{ id: told.record.id }}
              className="font-semibold text-ink underline-offset-3 hover:underline"
            >
              {told.record.name}
            </Link>
            <span>{about(told)}</span>
            {round.mine === "going" && told.bead !== "current" && (
              <Button
                look="quiet"
                disabled={act.pending}
                onClick={() => {
                  act.run({ act: "back", position: told.position });
                }}
              >
                {b.back}
              </Button>
            )}
          </>
        ) : (
          <Legend people={people} />
        )}
      </p>
    </div>
  );
}

/** Legend says in words what the forms mean that are there. */
function Legend({ people }: { people: Person[] }) {
  const counts = new Map<Person["bead"], number>();
  for (const p of people) counts.set(p.bead, (counts.get(p.bead) ?? 0) + 1);
  return (
    <>
      {[...counts].map(([bead, n]) => (
        <span key={bead} className="inline-flex items-center gap-1">
          <svg aria-hidden viewBox="0 0 18 18" className="size-4">
            <Shape bead={bead} />
          </svg>
          {b.is[bead]} {n}
        </span>
      ))}
    </>
  );
}
