import { useMutation, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";

import { api, ask, type Call, type Schemas } from "../api/client";
import { putCall } from "../filing/change_slip";
import { type Action, useArmed, useKey, useKeys } from "../shell/keys";
import { parties as p } from "../texts/parties";
import { Button } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { Cross, Microphone } from "../ui/icons";
import { useInTurn } from "../ui/in_turn";
import { useTell } from "../ui/toast";
import { useLoud } from "./live_trace";
import { whoOf } from "./words";

type Party = Schemas["Party"];
type Act = Schemas["Act"];

const AskPicker = lazy(() => import("./ask_picker").then((m) => ({ default: m.AskPicker })));

export const partiesOf = (call: Call): Party[] => call.state.parties ?? [];
export const may = (call: Call, act: Act) => call.state.acts?.includes(act) ?? false;
/** nameOf is how somebody in a call is called: the one with whom it began as its slip names them. */
export const nameOf = (call: Call, party: Party) => party.name || whoOf(call);
/** consultedBy is whom this reader is asking now. */
export const consulted = (call: Call): Party | undefined =>
  partiesOf(call).find((x) => x.role === "consult" && !x.mine && x.state !== "ended" && !isAsked(call));
/** isAsked tells whether this reader is the one who is being asked. */
export const isAsked = (call: Call) => partiesOf(call).some((x) => x.mine && x.role === "consult");

/** focusNotes lets what is typed next go into the notes: the next space is not for a button that was clicked. */
export const focusNotes = () => document.querySelector<HTMLElement>("[data-testid=slip] [data-notes]")?.focus();

/** useTurn does what can be done with others in a call. */
export function useTurn(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const turn = useMutation({
    mutationFn: (act: Schemas["Turn"]["act"]) =>
      ask(api.POST("/api/calls/{id}/turn", { params: { path: { id: call.id } }, body: { act } })),
    onSuccess: (changed: Call) => {
      putCall(client, changed);
    },
    onError: failed,
  });
  const drop = useMutation({
    mutationFn: (leg: number) =>
      ask(api.DELETE("/api/calls/{id}/parties/{leg}", { params: { path: { id: call.id, leg } } })),
    onError: failed,
  });
  const mute = useMutation({
    mutationFn: ({ leg, on }: { leg: number; on: boolean }) =>
      ask(api.PATCH("/api/calls/{id}/parties/{leg}", { params: { path: { id: call.id, leg } }, body: { on } })),
    onError: failed,
  });
  return { turn, drop, mute };
}

/** Parties is the line of who is in a call of more than two, and the picker of whom to ask. */
export function Parties({ call }: { call: Call }) {
  return (
    <>
      {call.state.phase === "speaking" && call.state.parties && <Line call={call} />}
      <Asking call={call} />
    </>
  );
}

/** Line says who hears me and who waits, in words, and what can be done. */
function Line({ call }: { call: Call }) {
  const now = useNow(1000);
  const loud = useLoud(call.id);
  const list = partiesOf(call).filter((x) => !x.mine);
  const hear = list.filter((x) => x.hears_me && x.state === "speaking");
  const rest = list.filter((x) => !hear.includes(x));
  // A call that came through a route is one of two: the slip says with whom, and does not grow while it is read.
  if (list.length === 1 && hear.length === 1 && !call.handed_from) return null;
  return (
    <section
      aria-label={p.region}
      data-testid="parties"
      className="col-span-full flex flex-wrap items-center gap-x-2 gap-y-1.5 border-b border-dashed border-rule-strong px-3.5 py-1.5"
    >
      <p
        data-testid="hears-me"
        className={`flex flex-wrap items-center gap-x-2 rounded-sm px-2.5 py-1 ${hear.length > 0 ? "bg-ours text-on-ours" : "bg-waiting-soft text-waiting"}`}
      >
        <span>{hear.length > 0 ? p.hears : p.alone}</span>
        {hear.map((x) => (
          <span key={x.leg} className="inline-flex items-center gap-1">
            <span className="name text-lg">{nameOf(call, x)}</span>
            <Level height={loud.get(x.leg) ?? 0} />
            {x.muted && <span className="text-sm">{p.muted}</span>}
            <DropParty call={call} party={x} />
          </span>
        ))}
      </p>
      {rest.map((x) => (
        <p key={x.leg} className={`inline-flex items-center gap-2 rounded-sm px-2 py-1 ${toneOf(x)}`}>
          <span className="font-semibold">{nameOf(call, x)}</span>
          <span>{stateOf(x, now)}</span>
          {x.answer && <span>{p.said(x.answer)}</span>}
          <DropParty call={call} party={x} />
        </p>
      ))}
      <From call={call} />
      <span className="ml-auto" />
      <Acts call={call} />
    </section>
  );
}

/** Level shows how loud somebody is just now. */
function Level({ height }: { height: number }) {
  return (
    <span aria-hidden className="inline-flex h-4 w-1 items-end overflow-hidden rounded-sm bg-paper/30">
      <span className="w-full bg-current transition-[height] duration-200" style={{ height: `${String(height)}%` }} />
    </span>
  );
}

const toneOf = (x: Party) =>
  x.state === "waiting" || x.state === "ended"
    ? "bg-waiting-soft text-waiting"
    : x.state === "ringing"
      ? "bg-theirs-soft text-theirs"
      : "bg-rule/60";

function stateOf(x: Party, now: number): string {
  const since = duration(Math.max(0, now - Date.parse(x.since)));
  switch (x.state) {
    case "ringing":
      return p.rings(since);
    case "waiting":
      return x.ours ? p.waitsColleague(since) : p.waits(since);
    case "listening":
      return x.role === "whisper" ? p.whispers : p.listens;
    case "ended":
      return x.why.toLowerCase();
    default:
      return "";
  }
}

function DropParty({ call, party }: { call: Call; party: Party }) {
  const { drop, mute } = useTurn(call);
  if (!party.may_drop) return null;
  const label = p.drop(nameOf(call, party));
  const muteLabel = (party.muted ? p.unmute : p.mute)(nameOf(call, party));
  return (
    <>
      {party.state === "speaking" && (
        <button
          type="button"
          aria-label={muteLabel}
          title={muteLabel}
          aria-pressed={party.muted}
          disabled={mute.isPending}
          onClick={() => {
            mute.mutate({ leg: party.leg, on: !party.muted });
            focusNotes();
          }}
          className="inline-flex size-6 items-center justify-center rounded-sm hover:bg-rule hover:text-ink"
        >
          <Microphone off={party.muted} />
        </button>
      )}
      <button
        type="button"
        aria-label={label}
        title={label}
        disabled={drop.isPending}
        onClick={() => {
          drop.mutate(party.leg);
          focusNotes();
        }}
        className="inline-flex size-6 items-center justify-center rounded-sm hover:bg-rule hover:text-ending"
      >
        <Cross />
      </button>
    </>
  );
}

/** From says who has brought this reader into the call, and what they wrote. */
function From({ call }: { call: Call }) {
  const from = call.handed_from;
  if (!from) return null;
  const told = [from.word, from.subject, ...from.promised.map(p.promised)].filter(Boolean).join(" · ");
  return (
    <p className="min-w-0 basis-full text-sm" data-testid="handed-from">
      <span className="font-semibold">{p.from(from.name, from.role)}</span>
      {told && <span className="text-quiet">: {told}</span>}
      {from.notes && (
        <span className="line-clamp-3 whitespace-pre-line" title={from.notes}>
          {p.fromNotes(from.name)}: {from.notes}
        </span>
      )}
    </p>
  );
}

/** short is a name as it is said across a desk: the first word of it, but for a number. */
export const short = (name: string) => (/\d/.test(name) ? name : (name.split(" ")[0] ?? name));

/** Acts are what can be done with others now, and nothing else. */
function Acts({ call }: { call: Call }) {
  const { turn } = useTurn(call);
  const inTurn = useInTurn(turn.isPending);
  const { letter, hint, act: press } = useKeys();
  const armed = useArmed();
  const asked = consulted(call);
  const others = partiesOf(call).filter(
    (x) => !x.mine && x !== asked && x.state !== "ended" && x.state !== "listening",
  );
  const first = short(others[0] ? nameOf(call, others[0]) : whoOf(call));
  const run = (act: Schemas["Turn"]["act"], key: Action) => () => {
    if (turn.isPending) {
      inTurn(() => {
        press(key); // whatever it means by then
      });
    } else turn.mutate(act);
    focusNotes();
  };
  const back = may(call, "swap") ? run("swap", "hold") : may(call, "back") ? run("back", "hold") : undefined;
  useKey("hold", asked || (call.state.parties && back && !may(call, "hold")) ? back : undefined);
  useKey("join", may(call, "join") ? run("join", "join") : undefined);
  useKey("handOver", may(call, "hand_over") ? run("hand_over", "handOver") : undefined);
  const backLabel = !asked
    ? p.back(first)
    : asked.state !== "speaking" && asked.state !== "waiting"
      ? p.cancel(first)
      : asked.hears_me
        ? p.back(first)
        : p.turnTo(short(nameOf(call, asked)));
  return (
    <span className="flex flex-wrap gap-1.5">
      {back && (asked ?? !may(call, "hold")) && (
        <Button onClick={back} disabled={turn.isPending} hint={letter("hold")} aria-keyshortcuts={hint("hold")}>
          {backLabel}
        </Button>
      )}
      {may(call, "join") && (
        <Button
          onClick={run("join", "join")}
          disabled={turn.isPending}
          hint={letter("join")}
          aria-keyshortcuts={hint("join")}
        >
          {p.join}
        </Button>
      )}
      {asked && may(call, "hand_over") && (
        <Button
          look="ours"
          title={p.handOverTo(nameOf(call, asked))}
          onClick={run("hand_over", "handOver")}
          disabled={turn.isPending}
          hint={letter("handOver")}
          aria-keyshortcuts={hint("handOver")}
        >
          {armed === "handOver" ? p.handOverAgain(letter("handOver") ?? "") : p.handOver}
        </Button>
      )}
    </span>
  );
}

/** Asking is the picker of whom to ask, opened by its key from anywhere in the slip. */
function Asking({ call }: { call: Call }) {
  const [open, setOpen] = useState(false);
  const can = call.state.phase === "speaking" && may(call, "ask");
  useKey(
    "ask",
    can
      ? () => {
          setOpen(true);
        }
      : undefined,
  );
  if (!open) return null;
  return (
    <Suspense fallback={null}>
      <AskPicker
        call={call}
        onClose={() => {
          setOpen(false);
        }}
      />
    </Suspense>
  );
}

/** AskButton opens whom to ask. It is short, since the room for the notes is what counts. */
export function AskButton({ call }: { call: Call }) {
  const { letter, hint, act } = useKeys();
  if (!may(call, "ask")) return null;
  return (
    <Button
      title={p.ask}
      className="px-1.5!"
      hint={letter("ask")}
      aria-keyshortcuts={hint("ask")}
      onClick={() => {
        act("ask");
      }}
    >
      {p.askShort}
    </Button>
  );
}
