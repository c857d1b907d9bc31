import { useEffect, useRef } from "react";
import { Link } from "@tanstack/react-router";

import { t } from "../texts";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { useNow } from "../ui/clock";
import { clockTime } from "../ui/times";
import { type Round, useRoundAct } from "./round";

const g = t.rounds.going;

/** NextOfRound stands in the strip between two calls of a round: whom it is at, and the key that calls them; or why it waits. */
export function NextOfRound({ round }: { round: Round }) {
  const act = useRoundAct(round.id);
  const { hint } = useKeys();
  const current = round.current;
  const number = current?.numbers.find((n) => n.id === current.number_id);
  const call = () => {
    act.run(current ? { act: "call" } : { act: "go", anyway: round.waits !== "" });
  };
  const skip = () => {
    act.run({ act: "skip" });
  };
  useKey("next", call);
  useKey("skip", current ? skip : undefined);
  const waits = round.waits !== "" && !current;
  return (
    <div
      className={`flex min-h-14 flex-wrap items-center gap-x-3 gap-y-1 rounded-md border px-3.5 ${waits ? "border-waiting bg-waiting-soft" : "border-rule bg-sheet"}`}
      data-testid="next-of-round"
    >
      {current && number ? (
        <>
          <span className="text-sm text-quiet">{g.next}</span>
          <span className="name truncate">{current.record.name}</span>
          <span className="truncate text-quiet max-[80rem]:hidden">{current.company}</span>
          <span className="text-sm text-quiet">{g.attempt(current.attempt)}</span>
          <span className="ml-auto" />
          {current.dial_at && <Countdown at={current.dial_at} run={call} />}
          <Button disabled={act.pending} onClick={skip} hint={hint("skip")} aria-keyshortcuts={hint("skip")}>
            {g.skip}
          </Button>
          <Button
            look="ours"
            disabled={act.pending}
            onClick={call}
            hint={hint("next")}
            aria-keyshortcuts={hint("next")}
          >
            {g.call(number.label)} {number.display}
          </Button>
        </>
      ) : (
        <>
          <span className={waits ? "text-waiting" : "text-quiet"}>
            {round.waits
              ? g.waits(round.waits)
              : round.next_at
                ? `${g.nobody} ${g.nextAt(clockTime(round.next_at))}`
                : round.ready > 0
                  ? round.name
                  : g.nobody}
          </span>
          <span className="ml-auto" />
          <Link
            to="/rounds/$id"
            params={{ id: round.id }}
            search={{}}
            className="text-sm underline underline-offset-3 hover:text-ink"
          >
            {g.open}
          </Link>
          <Button look="ours" disabled={act.pending} onClick={call} hint={hint("next")}>
            {round.waits ? g.anyway : g.go}
          </Button>
        </>
      )}
    </div>
  );
}

/** Countdown counts to the moment at which somebody is called, and calls them then, once. */
function Countdown({ at, run }: { at: string; run: () => void }) {
  const now = useNow(200);
  const left = Math.max(0, Math.ceil((Date.parse(at) - now) / 1000));
  const done = useRef("");
  useEffect(() => {
    if (left > 0 || done.current === at) return;
    done.current = at;
    run();
  }, [left, at, run]);
  return (
    <span className="text-sm font-semibold text-waiting" role="timer">
      {g.calling(left)}
    </span>
  );
}
