import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Call, type RecordRef } from "../api/client";
import { useConnection } from "../api/live";
import { queries } from "../api/queries";
import { t } from "../texts";
import { RoundControls } from "../rounds/controls";
import { useRoundOf } from "../rounds/round";
import { useKey, useKeys } from "../shell/keys";
import { Composer } from "../outreach/composer";
import { Button, IconButton } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { Letter } from "../ui/icons";
import { useTell } from "../ui/toast";
import { ConfirmTimes } from "./confirm_times";
import { HoldAndMute, MoreControls } from "./controls";
import { AskButton, consulted, may, nameOf, partiesOf, short } from "./parties";
import { parties } from "../texts/parties";
import { useTake } from "./waiting";
import { useDial } from "./dial";
import { companyOf, partsAt, personOf, stateWord, whoOf } from "./words";

/** useHangUp takes one out of a call. */
export function useHangUp(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  const asked = consulted(call); // who asks somebody ends that first, and is back
  const hangUp = useMutation({
    mutationFn: () =>
      asked
        ? ask(api.DELETE("/api/calls/{id}/parties/{leg}", { params: { path: { id: call.id, leg: asked.leg } } }))
        : ask(api.POST("/api/calls/{id}/hang-up", { params: { path: { id: call.id } } })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.desk() }),
  });
  const end = () => {
    if (call.state.phase !== "ended" && !hangUp.isPending) hangUp.mutate();
  };
  return { end, ending: hangUp.isPending };
}

/** Who is the first part of a slip: the other side, the clock, and the controls that the call has now. */
export function Who({ call }: { call: Call }) {
  const { hint, letter, on, command } = useKeys();
  const { dial, dialing } = useDial();
  const [writing, setWriting] = useState(false);
  const live = call.state.phase !== "ended";
  const { end, ending } = useHangUp(call);
  useKey("end", live ? end : undefined);
  const person = personOf(call);
  const company = companyOf(call);
  const round = useRoundOf(call);
  return (
    <div className="flex min-w-0 flex-col gap-1 border-rule-strong px-3.5 py-2.5 min-[64rem]:border-r min-[64rem]:border-dashed">
      <div className="flex items-start justify-between gap-2">
        <div className="min-w-0">
          <h2 className="name line-clamp-2 text-lg break-words" title={whoOf(call)}>
            <RecordLink record={person ?? company} fallback={call.display} />
          </h2>
          {person && company && (
            <p className="truncate text-quiet">
              <RecordLink record={company} fallback="" />
            </p>
          )}
        </div>
        <CallClock call={call} />
      </div>
      <div className="flex items-end justify-between gap-1">
        <p className="text-sm text-quiet">
          {(person ?? company) && (
            <>
              {call.label && `${call.label} `}
              <span className="font-semibold text-ink">{call.display}</span>
              {call.direction !== "internal" && (
                <IconButton
                  label={t.after.post.to(whoOf(call))}
                  className="ml-1 align-middle"
                  onClick={() => {
                    setWriting(true);
                  }}
                >
                  <Letter />
                </IconButton>
              )}
              <br />
            </>
          )}
          {call.direction === "internal"
            ? t.in.during.internal
            : call.direction === "inbound"
              ? t.slip.called(call.shown)
              : t.slip.shown(call.shown)}
        </p>
        {live && call.state.phase === "speaking" && <AskButton call={call} />}
      </div>
      <div className="flex flex-wrap gap-1.5 pt-1.5">
        {live && call.state.phase === "speaking" && <HoldAndMute call={call} />}
        {round && <RoundControls call={call} round={round} />}
        {live && ( // in the corner of the first row, where nothing that comes and goes can push it under the pointer
          <Button
            look="ending"
            className="ml-auto px-1.5!"
            onClick={end}
            disabled={ending}
            hint={call.state.phase === "speaking" ? letter("end") : hint("end")}
            aria-keyshortcuts={hint("end")}
          >
            {endWord(call)}
          </Button>
        )}
        {writing && (
          <Composer
            channel="text"
            to={{ record: person ?? company, address: call.display, slip: call.slip.id }}
            onClose={() => {
              setWriting(false);
            }}
          />
        )}
        {call.unconfirmed && <ConfirmTimes call={call} />}
        {!live && may(call, "take") && !!giveaways[call.state.left_reason ?? ""] && <TakeBack call={call} />}
        {!call.round_id && !live && !call.state.left_at && !call.unconfirmed && call.direction !== "internal" && (
          <Button
            disabled={dialing}
            onClick={() => {
              dial({ typed: call.display, ...(person ? { open_record_id: person.id } : {}) }, whoOf(call));
            }}
          >
            {t.slip.callAgain}
          </Button>
        )}
      </div>
      {live && call.state.phase === "speaking" && (
        <>
          <MoreControls call={call} />
          {on && <p className="pt-0.5 text-xs text-quiet">{t.slip.commandFirst(command)}</p>}
        </>
      )}
      {call.direction === "inbound" && <Briefing call={call} />}
    </div>
  );
}

/** Why somebody has left a call that they may take back. */
const giveaways: Record<string, boolean> = { handed_on: true, parked: true };

/** TakeBack takes a call back that was given away or parked, and that nobody has taken yet. */
function TakeBack({ call }: { call: Call }) {
  const take = useTake();
  return (
    <Button
      look="ours"
      disabled={take.isPending}
      onClick={() => {
        take.mutate(call.id);
      }}
    >
      {parties.takeBack}
    </Button>
  );
}

/** endWord says what ending ends: the talk with whom one asks, one's own part among several, or the call. */
function endWord(call: Call): string {
  const asked = consulted(call);
  if (asked) return parties.endWith(short(nameOf(call, asked)));
  if (partiesOf(call).filter((x) => x.state === "speaking" || x.state === "waiting").length > 2) return parties.leave;
  return call.state.phase === "speaking" ? t.slip.end : t.slip.giveUp;
}

function RecordLink({ record, fallback }: { record: RecordRef | undefined; fallback: string }) {
  if (!record) return fallback;
  return (
    <Link
      to="/records/$id"
      params={{ id: record.id }}
      className="inline-block min-h-6 max-w-full truncate align-bottom whitespace-normal hover:underline"
    >
      {record.name}
    </Link>
  );
}

/** CallClock counts ringing until the answer, then talking, each from nought. */
export function CallClock({ call }: { call: Call }) {
  const now = useNow(250);
  const parts = partsAt(call.state, now);
  const talked = call.state.answered_at !== null;
  const main = talked ? parts.talking : parts.dialing + parts.ringing;
  const ended = call.state.phase === "ended";
  const { away } = useConnection();
  return (
    <p className="min-w-24 shrink-0 text-right" data-testid="clock">
      <span className="sr-only">{t.slip.clock} </span>
      <span className="block text-xl leading-7 font-semibold">{duration(main)}</span>
      <span className={`block text-sm ${ended ? "font-semibold text-waiting" : "text-quiet"}`}>
        {stateWord(call.state)}
      </span>
      {talked && (
        <span className="block text-xs text-quiet">{t.slip.rangFor(duration(parts.dialing + parts.ringing))}</span>
      )}
      {away && !call.state.saved && <span className="block text-xs font-semibold text-waiting">{t.slip.unsaved}</span>}
    </p>
  );
}

/** Briefing is what was said of the caller while it rang, for as long as their slip is open. It stands below the buttons, which it does not move. */
function Briefing({ call }: { call: Call }) {
  const links = call.links.map((l) => l.record.id).join();
  const facts = useQuery({ ...queries.briefing(call.id, links), enabled: links !== "" && call.slip.state === "open" });
  if (!facts.data?.facts.length) return null;
  return (
    <ul data-testid="briefing" className="text-sm">
      {facts.data.facts.map((f) => (
        <li key={f} className="truncate" title={f}>
          {f}
        </li>
      ))}
    </ul>
  );
}
