import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { lazy, Suspense, useEffect, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Call, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useDial } from "../calls/dial";
import { focusSlip } from "../calls/focus";
import { howLong, personOf, whoOf } from "../calls/words";
import { ChooseColleague } from "../team/colleague_pick_later";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { Direction, Hand, Tick, Tomorrow } from "../ui/icons";
import { useArrowKeys } from "../ui/list";
import { Failed, Loading } from "../ui/states";
import { shortTime } from "../ui/times";
import { useTell } from "../ui/toast";
import { PlayMessage } from "../calls/message_player";

type Entry = Schemas["LaneEntry"];

const QueueWaits = lazy(() => import("../queues/waits").then((m) => ({ default: m.QueueWaits })));

/** LanePage is the lane where there is no room for it beside the sheet. */
export function LanePage() {
  return <Lane className="" page />;
}

const beside = "w-68 shrink-0 overflow-y-auto border-r border-rule-strong px-3.5 py-4 max-[63.9rem]:hidden";

/** useBadge puts the number of what is owed today on the installed window's icon. */
function useBadge(owed: number | undefined) {
  useEffect(() => {
    if (owed === undefined || !("setAppBadge" in navigator)) return;
    void navigator.setAppBadge(owed).catch(() => undefined); // not where nothing is installed
    return () => void navigator.clearAppBadge().catch(() => undefined);
  }, [owed]);
}

/** Lane is what is owed, ranked, each with its reason; below it what was done just now. */
export function Lane({ className = beside, page = false }: { className?: string; page?: boolean }) {
  const lane = useQuery(queries.lane);
  useBadge(page ? undefined : lane.data?.today);
  const arrows = useArrowKeys();
  const [Region, Heading] = page ? (["section", "h1"] as const) : (["nav", "h2"] as const); // beside a page it is the way to others
  return (
    <Region aria-label={t.lane.region} className={`flex flex-col ${className}`} onKeyDown={arrows}>
      <div className="mb-1 flex items-baseline justify-between">
        <Heading className="text-sm font-semibold text-quiet">{t.lane.title}</Heading>
        {lane.data && <span className="text-sm text-quiet">{t.lane.today(lane.data.today)}</span>}
      </div>
      {lane.isPending && <Loading />}
      {lane.isError && !lane.data && <Failed error={lane.error} retry={() => void lane.refetch()} />}
      {lane.data && (
        <>
          {lane.data.owed.length === 0 && <p className="py-2 text-sm text-quiet">{t.lane.empty}</p>}
          <ul data-testid="lane">
            {lane.data.owed.map((e) => (
              <Owed key={e.id} entry={e} />
            ))}
          </ul>
          {lane.data.owed.filter((e) => e.record && e.kind !== "slip").length > 1 && (
            <Link
              to="/rounds/new"
              search={{ lane: true }}
              className="mt-2 inline-flex min-h-6 items-center text-sm text-ours underline underline-offset-3"
            >
              {t.rounds.start.lane}
            </Link>
          )}
          <Suspense fallback={null}>
            <QueueWaits />
          </Suspense>
          <h2 className="mt-6 mb-1 text-sm font-semibold text-quiet">{t.lane.justNow}</h2>
          {lane.data.just_now.length === 0 && <p className="text-sm text-quiet">{t.lane.nobody}</p>}
          <ul>
            {lane.data.just_now.map((c) => (
              <JustNow key={c.id} call={c} />
            ))}
          </ul>
        </>
      )}
    </Region>
  );
}

function Owed({ entry }: { entry: Entry }) {
  const navigate = useNavigate();
  const name = entry.record?.name ?? (entry.kind === "message" ? entry.typed : entry.text);
  const late = entry.tone === "late";
  const [whole, setWhole] = useState(false);
  const open = () => {
    if (entry.kind === "slip") focusSlip(entry.id);
    else if (entry.kind === "round") void navigate({ to: "/rounds/$id", params: { id: entry.id }, search: {} });
    else if (entry.kind === "note" && !entry.call_id) setWhole(!whole);
    else if (entry.call_id && !entry.record) void navigate({ to: "/calls/$id", params: { id: entry.call_id } });
    else if (entry.kind === "message" && !entry.record)
      void navigate({ to: "/messages", search: { address: entry.typed } });
    else if (entry.record)
      void navigate({
        to: "/records/$id",
        params: { id: entry.record.id },
        search: entry.kind === "message" ? { show: "message" } : {},
      });
  };
  return (
    <li className="group relative border-b border-rule">
      <button type="button" data-arrow onClick={open} className="block w-full py-1.5 text-left hover:bg-rule/40">
        <span className="flex items-baseline justify-between gap-2">
          <span className={`name ${whole ? "whitespace-pre-wrap" : "truncate"}`}>{name}</span>
          <span className="shrink-0 text-quiet">{entry.when}</span>
        </span>
        <span className="block text-sm text-quiet">
          {entry.for && <span className="text-ours">{t.lane.for(entry.for)} · </span>}
          <span className={late && !entry.late ? "font-semibold text-waiting" : ""}>{entry.reason}</span>
          {entry.late && (
            <>
              , <span className={late ? "font-semibold text-waiting" : ""}>{entry.late}</span>
            </>
          )}
        </span>
        <span
          className={entry.kind === "round" || entry.kind === "note" ? "hidden" : "block truncate text-sm text-quiet"}
        >
          {entry.act && entry.act !== "call" && `${t.after.acts[entry.act] ?? ""} `}
          {entry.text}
        </span>
        {entry.kind === "slip" && <span className="sr-only">{t.lane.open(name)}</span>}
      </button>
      {entry.kind === "follow_up" && <Acts entry={entry} name={name} />}
      {entry.kind === "note" && <NoteActs entry={entry} />}
      {entry.kind === "message" && <MessageActs entry={entry} name={name} />}
      {entry.kind === "missed" && <MissedActs entry={entry} name={name} />}
    </li>
  );
}

const laneActs =
  "absolute right-0 bottom-1 flex gap-0.5 rounded-sm bg-paper opacity-0 group-focus-within:opacity-100 group-hover:opacity-100";

function Acts({ entry, name }: { entry: Entry; name: string }) {
  const me = useQuery(queries.me).data;
  const { dial } = useDial();
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
  const undoable = (
    text: string,
    body: Omit<Schemas["FollowUpChange"], "version">,
    back: Omit<Schemas["FollowUpChange"], "version">,
  ) => {
    change.mutate(
      { ...body, version: entry.version },
      {
        onSuccess: (changed) => {
          tell(text, {
            action: {
              label: t.lane.undo,
              run: () => {
                change.mutate({ ...back, version: changed.version });
              },
            },
          });
        },
      },
    );
  };
  const number = entry.number;
  return (
    <span className={laneActs}>
      {number && (
        <button
          type="button"
          className="min-h-6 rounded-sm px-1.5 text-sm font-semibold text-ours hover:bg-ours-soft"
          onClick={() => {
            dial({ number_id: number.id }, name);
          }}
        >
          {t.strip.call(number.label)}
          <span className="sr-only">
            {" "}
            {number.display} {name}
          </span>
        </button>
      )}
      <IconButton
        label={t.lane.putOff(entry.text)}
        onClick={() => {
          undoable(
            t.lane.markedLater(entry.text),
            { put_off: true },
            entry.due_at ? { due_at: entry.due_at, day_only: entry.day_only } : { clear_due: true },
          );
        }}
      >
        <Tomorrow />
      </IconButton>
      <GiveAway
        entry={entry}
        give={(id, name) => {
          undoable(t.in.lane.given(name), { owner_id: id }, { ...(me ? { owner_id: me.id } : {}) });
        }}
      />
      <IconButton
        label={t.lane.done(entry.text)}
        onClick={() => {
          undoable(t.lane.markedDone(entry.text), { state: "done" }, { state: "open" });
        }}
      >
        <Tick />
      </IconButton>
    </span>
  );
}

/** NoteActs settles what a colleague has left, plays their message, and calls them. */
function NoteActs({ entry }: { entry: Entry }) {
  const { dial } = useDial();
  const client = useQueryClient();
  const tell = useTell();
  const settle = useMutation({
    mutationFn: (done: boolean) =>
      ask(api.PATCH("/api/colleague-notes/{id}", { params: { path: { id: entry.id } }, body: { done } })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.lane() }),
  });
  return (
    <span className={laneActs}>
      {entry.message_id && <PlayMessage recording={entry.message_id} heard={entry.message_heard ?? false} />}
      {entry.colleague_id && (
        <CallBack
          name={entry.typed}
          call={() => {
            if (entry.colleague_id) dial({ colleague_id: entry.colleague_id }, entry.typed);
          }}
        />
      )}
      <IconButton
        label={t.lane.done(entry.text)}
        onClick={() => {
          settle.mutate(true, {
            onSuccess: () => {
              tell(t.lane.markedDone(entry.text), {
                action: {
                  label: t.lane.undo,
                  run: () => {
                    settle.mutate(false);
                  },
                },
              });
            },
          });
        }}
      >
        <Tick />
      </IconButton>
    </span>
  );
}

/** CallBack calls who had called in vain. */
function CallBack({ name, call }: { name: string; call: () => void }) {
  return (
    <button
      type="button"
      className="min-h-6 rounded-sm px-1.5 text-sm font-semibold text-ours hover:bg-ours-soft"
      onClick={call}
    >
      {t.lane.callBack}
      <span className="sr-only"> {name}</span>
    </button>
  );
}

const HandOn = lazy(() => import("../queues/hand_on").then((m) => ({ default: m.HandOn })));

/** MessageActs says that what somebody wrote needs no answer. */
function MessageActs({ entry, name }: { entry: Entry; name: string }) {
  const client = useQueryClient();
  const tell = useTell();
  const read = useMutation({
    mutationFn: () => ask(api.POST("/api/messages/{id}/read", { params: { path: { id: entry.id } } })),
    onSuccess: () => {
      tell(t.lane.markedDone(name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.lane() }),
  });
  return (
    <span className={laneActs}>
      <Suspense>
        <HandOn message={entry.id} name={name} />
      </Suspense>
      <IconButton
        label={t.after.post.noAnswer(name)}
        onClick={() => {
          read.mutate();
        }}
      >
        <Tick />
      </IconButton>
    </span>
  );
}

/** GiveAway gives a follow-up to a colleague. */
function GiveAway({ entry, give }: { entry: Entry; give: (id: string, name: string) => void }) {
  const me = useQuery(queries.me).data;
  const [asked, setAsked] = useState(false);
  return (
    <>
      <IconButton
        label={t.in.lane.give(entry.text)}
        onClick={() => {
          setAsked(true);
        }}
      >
        <Hand />
      </IconButton>
      {asked && (
        <ChooseColleague
          title={t.in.lane.give(entry.text)}
          only={(c) => c.id !== me?.id}
          onChoose={give}
          onClose={() => {
            setAsked(false);
          }}
        />
      )}
    </>
  );
}

/** MissedActs come back to a missed call, take it on for oneself, or say why nobody has to. */
function MissedActs({ entry, name }: { entry: Entry; name: string }) {
  const { dial } = useDial();
  const client = useQueryClient();
  const tell = useTell();
  const [closing, setClosing] = useState(false);
  const [reason, setReason] = useState("");
  const change = useMutation({
    mutationFn: (body: Schemas["UnreturnedChange"]) =>
      ask(api.PATCH("/api/unreturned/{id}", { params: { path: { id: entry.id } }, body })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.lane() }),
  });
  const mine = entry.mine ?? false;
  const close = () => {
    change.mutate(
      { action: "close", reason },
      {
        onSuccess: () => {
          setClosing(false);
          tell(t.lane.markedDone(name), {
            action: {
              label: t.lane.undo,
              run: () => {
                change.mutate({ action: "reopen" });
              },
            },
          });
        },
      },
    );
  };
  return (
    <span className={laneActs}>
      {entry.message_id && <PlayMessage recording={entry.message_id} heard={entry.message_heard ?? false} />}
      {entry.typed && (
        <CallBack
          name={name}
          call={() => {
            dial({ typed: entry.typed, ...(entry.record ? { open_record_id: entry.record.id } : {}) }, name);
          }}
        />
      )}
      <IconButton
        label={mine ? t.lane.giveBack(name) : t.lane.take(name)}
        aria-pressed={mine}
        onClick={() => {
          change.mutate({ action: mine ? "give_back" : "take" });
        }}
      >
        <Hand />
      </IconButton>
      <IconButton
        label={t.lane.settle(name)}
        onClick={() => {
          setReason("");
          setClosing(true);
        }}
      >
        <Tick />
      </IconButton>
      <Dialog
        open={closing}
        onClose={() => {
          setClosing(false);
        }}
        title={t.lane.settle(name)}
        actions={
          <Button look="ours" type="submit" form="settle" disabled={!reason.trim() || change.isPending}>
            {t.lane.settleGo}
          </Button>
        }
      >
        <form
          id="settle"
          onSubmit={(e) => {
            e.preventDefault();
            if (reason.trim()) close();
          }}
        >
          <Field
            label={t.lane.settleWhy}
            autoFocus
            maxLength={300}
            value={reason}
            onChange={(e) => {
              setReason(e.target.value);
            }}
          />
        </form>
      </Dialog>
    </span>
  );
}

function JustNow({ call }: { call: Call }) {
  const person = personOf(call);
  return (
    <li className="border-b border-rule">
      <Link
        to={person ? "/records/$id" : "/calls/$id"}
        params={{ id: person?.id ?? call.id }}
        data-arrow
        className="block py-1.5 hover:bg-rule/40"
      >
        <span className="flex items-baseline justify-between gap-2">
          <span className="name truncate">{whoOf(call)}</span>
          <span className="shrink-0 text-quiet">{shortTime(call.state.started_at)}</span>
        </span>
        <span className="block truncate text-sm text-quiet">
          <Direction way={call.direction} /> {howLong(call)}
          {call.slip.outcome && ` · ${call.slip.outcome}`}
        </span>
      </Link>
    </li>
  );
}
