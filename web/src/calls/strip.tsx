import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, ask, type Call } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { NextOfRound } from "../rounds/next";
import { useFollowRound, useGoing } from "../rounds/round";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { useTell } from "../ui/toast";
import { TelephoneNotice } from "./telephone";
import { useDial } from "./dial";
import { focusSlip, useSlipOnDesk } from "./focus";
import { callerOf, RingLine, useRings } from "./rings";
import { RingSignal } from "./ring_signal";
import { Slip } from "../filing/slip";
import { StuckSlip } from "../filing/stuck_slip";
import { putCall } from "../filing/change_slip";
import { parties } from "../texts/parties";
import { may, short } from "./parties";
import { WaitingCalls } from "./waiting";
import { ListeningBar } from "./listening";
import { stateWord, whoOf } from "./words";

/** DeskStrip is the place of the slip over the sheet; at rest it says what is next and the key that calls it. */
export function DeskStrip() {
  const desk = useQuery(queries.desk).data;
  const round = useGoing();
  useFollowRound();
  const ringing = useRings();
  const { call, others } = useSlipOnDesk(desk?.calls ?? []);
  // A call that has just been taken rings no more, though the server may not have said so yet.
  // One that comes back does, and stands on the desk all the while.
  const rings = ringing.filter((r) => !desk?.calls.some((c) => c.id === r.call_id && c.state.phase !== "ended"));
  const live = others.filter((c) => c.state.phase !== "ended");
  const speaking = desk?.calls.some((c) => c.state.phase === "speaking") ?? false;
  const slip = useRef<HTMLDivElement>(null);
  const rests = !call && rings.length === 0 && !round && live.length === 0;
  return (
    <section
      aria-label={t.strip.region}
      className={`border-b border-rule-strong bg-paper px-3.5 ${rests ? "" : "py-2.5"}`}
    >
      {call && (
        <div ref={slip}>
          <Slip key={call.slip.id} call={call} />
        </div>
      )}
      {call && <StuckSlip key={`stuck-${call.slip.id}`} call={call} slip={slip} />}
      {/* A call that rings while a slip lies there stands under it: what is being read or clicked stays in its place. */}
      {rings.length > 0 && (
        <div className={`flex flex-col gap-2 ${call ? "mt-2" : ""}`}>
          {rings.map((r, i) => (
            <RingLine key={r.call_id} ring={r} first={i === 0} second={speaking} />
          ))}
          <RingSignal ring={rings[0]} quiet={speaking} />
        </div>
      )}
      <WaitingCalls />
      <ListeningBar />
      <TelephoneNotice />
      {!call && rings.length === 0 && (round ? <NextOfRound round={round} /> : <Next />)}
      {live.map((c) => (
        <div
          key={c.id}
          className="mt-2 flex min-h-10 items-center gap-3 rounded-md border border-waiting bg-waiting-soft px-3.5"
        >
          <span className="font-semibold">{whoOf(c)}</span>
          <span className="text-quiet">{stateWord(c.state)}</span>
          <span className="ml-auto" />
          <Button
            onClick={() => {
              focusSlip(c.slip.id);
            }}
          >
            {t.strip.openSlip}
          </Button>
          {call?.state.phase === "speaking" && c.state.phase === "speaking" && <JoinWith call={call} other={c} />}
          {c.state.on_hold && <GoOn call={c} />}
        </div>
      ))}
      <Announcer text={call ? t.announce.phase(whoOf(call), stateWord(call.state)) : ""} />
      <Announcer text={rings[0] ? t.announce.ring(callerOf(rings[0]), rings[0].line) : ""} />
    </section>
  );
}

/** GoOn goes on with a call that is on hold; the other is held then. */
function GoOn({ call }: { call: Call }) {
  const tell = useTell();
  const resume = useMutation({
    mutationFn: () => ask(api.PUT("/api/calls/{id}/hold", { params: { path: { id: call.id } }, body: { on: false } })),
    onSuccess: () => {
      focusSlip(call.slip.id);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Button
      look="ours"
      disabled={resume.isPending}
      onClick={() => {
        resume.mutate();
      }}
    >
      {t.in.during.goOn}
    </Button>
  );
}

/** JoinWith makes one call of the one on the desk and another that one speaks in or has on hold. */
function JoinWith({ call, other }: { call: Call; other: Call }) {
  const client = useQueryClient();
  const tell = useTell();
  const { hint } = useKeys();
  const join = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/calls/{id}/joined", { params: { path: { id: call.id } }, body: { call_id: other.id } })),
    onSuccess: (changed) => {
      putCall(client, changed);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const run = () => {
    if (!join.isPending) join.mutate();
  };
  useKey("join", may(call, "join") ? undefined : run);
  return (
    <Button disabled={join.isPending} onClick={run} hint={hint("join")} aria-keyshortcuts={hint("join")}>
      {parties.joinCalls(short(whoOf(call)))}
    </Button>
  );
}

function Next() {
  const lane = useQuery(queries.lane).data;
  const { hint } = useKeys();
  const { dial, dialing } = useDial();
  const next = lane?.owed.find((e) => e.kind === "follow_up" && e.number);
  const number = next?.number;
  const call = () => {
    if (next?.record && number) dial({ number_id: number.id }, next.record.name);
  };
  useKey("next", number ? call : undefined);
  return (
    <div className="flex h-10 items-center gap-3 pl-2 text-sm" data-testid="next">
      {next && number ? (
        <>
          <span className="text-quiet">{t.strip.next}</span>
          <span className="min-w-0 truncate font-semibold">{next.record?.name}</span>
          <span className="ml-auto" />
          <Button look="ours" onClick={call} disabled={dialing} hint={hint("next")} aria-keyshortcuts={hint("next")}>
            {t.strip.call(number.label)} {number.display}
          </Button>
        </>
      ) : (
        <span className="text-quiet">{t.strip.nothing}</span>
      )}
    </div>
  );
}

/** Announcer says each new text to those who hear the screen, politely. */
function Announcer({ text }: { text: string }) {
  const [said, setSaid] = useState("");
  const last = useRef("");
  useEffect(() => {
    if (text !== last.current) {
      last.current = text;
      setSaid(text);
    }
  }, [text]);
  return (
    <p aria-live="polite" className="sr-only">
      {said}
    </p>
  );
}
