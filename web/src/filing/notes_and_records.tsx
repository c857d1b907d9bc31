import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";

import type { Call } from "../api/client";
import { t } from "../texts";
import { type Desk, somebodyTypes, useKey, useSlipKeys } from "../shell/keys";
import { Proposal } from "./proposal";
import { Button } from "../ui/button";
import { useNow } from "../ui/clock";
import { SlipVoice } from "./slip_voice";
import { AttachQuestion, AttachSearch } from "../calls/attach";
import { useFile } from "./change_slip";
import { PutOnOpenRecord } from "../calls/controls";
import { MakeBeside } from "./make_beside";
import { keeperOf, type NotesState } from "./notes_keeper";
import { Promise } from "./promise";
import { CallType, LinkChip, NotesFor, Subject } from "./slip_fields";
import { UnknownCaller } from "../calls/unknown_caller";

/** useNotes gives the keeper of a call's notes and what it holds now. */
export function useNotes(call: Call) {
  const keeper = useMemo(() => keeperOf(call.slip.id, call.slip.notes), [call.slip.id]); // eslint-disable-line react-hooks/exhaustive-deps -- made once a slip; see() takes what comes later
  useEffect(() => {
    keeper.see(call.slip.notes);
  }, [keeper, call.slip.notes]);
  return { keeper, notes: useSyncExternalStore(keeper.subscribe, keeper.get) };
}

/** deskOf says what a call is for the meaning of keys. */
function deskOf(call: Call): Desk {
  switch (call.state.phase) {
    case "dialing":
    case "ringing":
      return "ringing";
    case "speaking":
      return "speaking";
    default:
      return "ended";
  }
}

/** useSettled is a text once nobody has changed it for a while. */
function useSettled(text: string, ms: number): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => {
      setSettled(text);
    }, ms);
    return () => {
      clearTimeout(timer);
    };
  }, [text, ms]);
  return settled;
}

/** NotesAndRecords is the middle of a slip: the notes, what the call was about, and the records it stands on. */
export function NotesAndRecords({ call }: { call: Call }) {
  const { keeper, notes } = useNotes(call);
  const [making, setMaking] = useState(false);
  const settledNotes = useSettled(notes.body, 700);
  const field = useRef<HTMLTextAreaElement>(null);
  const file = useFile(call);
  useKey("notes", () => field.current?.focus());
  useSlipKeys(call.slip.id, deskOf(call), (text) => {
    field.current?.focus();
    if (text) keeper.type(keeper.get().body + text);
  });
  // Who is answered, or answers, talks and types at once: the notes get the focus, unless something is being typed elsewhere.
  const speaking = call.state.phase === "speaking";
  useEffect(() => {
    if (!speaking || somebodyTypes()) return;
    const notes = field.current;
    notes?.focus({ preventScroll: true });
    notes?.setSelectionRange(notes.value.length, notes.value.length);
  }, [speaking]);
  return (
    <div className="flex min-w-0 flex-col gap-1.5 border-rule-strong px-3.5 py-2.5 min-[64rem]:border-r min-[64rem]:border-dashed">
      <SlipVoice call={call} />
      {call.slip.asks_who && <AttachQuestion call={call} />}
      {making && (
        <UnknownCaller
          call={call}
          company={call.company_line}
          onDone={() => {
            setMaking(false);
          }}
        />
      )}
      <label className="sr-only" htmlFor={`notes-${call.slip.id}`}>
        {t.slip.notes}
      </label>
      <div className="relative flex flex-1 flex-col">
        <textarea
          id={`notes-${call.slip.id}`}
          ref={field}
          data-notes
          value={notes.body}
          placeholder={t.slip.notesPlaceholder}
          aria-keyshortcuts="Control+Enter"
          onChange={(e) => {
            keeper.type(e.target.value);
          }}
          onBlur={() => void keeper.flush()}
          onKeyDown={(e) => {
            if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) {
              e.preventDefault();
              file.run();
            }
          }}
          className="field-sizing-content pb-5 max-h-60 min-h-25 w-full flex-1 resize-none rounded-sm border border-transparent bg-transparent leading-5 outline-offset-2 hover:border-rule focus-visible:outline-2"
        />
        <NotesStatus notes={notes} />
      </div>
      {notes.hidden.length > 0 && (
        <p
          role="alert"
          className="flex items-center justify-between gap-2 rounded-sm bg-waiting-soft px-2 py-1 text-sm text-waiting"
        >
          {t.after.card.hidden}
          <Button
            onClick={() => {
              keeper.insist();
            }}
          >
            {t.after.card.insist}
          </Button>
        </p>
      )}
      {notes.status === "conflict" && <Conflict notes={notes} settle={keeper.settle.bind(keeper)} />}
      <Proposal call={call} notes={settledNotes} />
      <div className="flex items-center gap-1.5">
        <Subject call={call} />
        <CallType call={call} />
        <NotesFor call={call} />
      </div>
      <div className="flex flex-wrap items-center gap-1">
        {call.links.map((l) => (
          <LinkChip key={l.record.id} call={call} record={l.record} />
        ))}
        <AttachSearch call={call} />
        {!call.slip.asks_who && <PutOnOpenRecord call={call} />}
        {call.withheld && call.links.length === 0 && !making && call.slip.state === "open" && (
          <Button
            onClick={() => {
              setMaking(true);
            }}
          >
            {t.in.unknown.make}
          </Button>
        )}
        {call.company_line && !making && call.slip.state === "open" && (
          <button
            type="button"
            className="min-h-6 rounded-sm border border-dashed border-edge px-1.5 text-sm text-quiet hover:text-ink"
            onClick={() => {
              setMaking(true);
            }}
          >
            {t.in.unknown.contactOf(call.company_line.name)}
          </button>
        )}
        <Promise call={call} />
        <MakeBeside call={call} />
      </div>
    </div>
  );
}

function NotesStatus({ notes }: { notes: NotesState }) {
  const now = useNow(1_000);
  const text = {
    saved: notes.savedAt ? t.notes.savedAgo(Math.max(0, Math.round((now - notes.savedAt) / 1000))) : "",
    saving: t.notes.saving,
    browser: t.notes.inBrowser,
    server: t.notes.onServer,
    conflict: "",
    refused: notes.problem ?? t.notes.tooLong,
  }[notes.status];
  const bad = notes.status === "refused" || notes.status === "browser" || notes.status === "server";
  return (
    <span
      data-testid="notes-status"
      data-status={notes.status}
      role={notes.status === "refused" ? "alert" : undefined}
      className={`pointer-events-none absolute right-1 bottom-0.5 bg-sheet/85 pl-1 text-sm ${bad ? "text-waiting" : "text-quiet"}`}
    >
      {text}
    </span>
  );
}

function Conflict({ notes, settle }: { notes: NotesState; settle: (choice: "mine" | "theirs" | "both") => void }) {
  return (
    <div role="alert" className="rounded-sm bg-waiting-soft p-2">
      <p className="font-semibold text-waiting">{t.notes.conflict}</p>
      <p className="text-sm">{t.notes.theirs}</p>
      <p className="my-1 max-h-20 overflow-auto text-sm whitespace-pre-wrap">{notes.theirs?.body}</p>
      <div className="flex gap-2">
        <Button
          onClick={() => {
            settle("both");
          }}
        >
          {t.notes.keepBoth}
        </Button>
        <Button
          onClick={() => {
            settle("mine");
          }}
        >
          {t.notes.keepMine}
        </Button>
        <Button
          onClick={() => {
            settle("theirs");
          }}
        >
          {t.notes.keepTheirs}
        </Button>
      </div>
    </div>
  );
}
