import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";

import { withNewest } from "../api/call_states";
import { api, ask, type Call, Failure, type RecordRef, type Schemas } from "../api/client";
import { useConnection } from "../api/live";
import { queries } from "../api/queries";
import { t } from "../messages";
import { useKey, useKeys, useOutcomeKeys } from "../shell/keys";
import { Button, KeyHint } from "../ui/button";
import { Chip } from "../ui/chip";
import { duration, useNow } from "../ui/clock";
import { Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";
import { AttachQuestion, AttachSearch } from "./attach";
import { useDial } from "./dial";
import { putAside } from "./focus";
import { keeperOf, type NotesState } from "./notes_keeper";
import { companyOf, partsAt, personOf, stateWord, whoOf } from "./words";

/** Slip is the working sheet of my part in one call: who and the controls, notes and records, outcomes and File. */
export function Slip({ call }: { call: Call }) {
  const waits = call.state.phase === "ended";
  return (
    <section
      aria-label={t.slip.region(whoOf(call))}
      data-testid="slip"
      data-phase={call.state.phase}
      className={`grid grid-cols-[16.5rem_minmax(0,1fr)_19rem] rounded-md border border-rule-strong border-t-4 bg-sheet max-[63.9rem]:grid-cols-1 ${waits ? "border-t-waiting" : "border-t-ours"}`}
    >
      <Who call={call} />
      <Middle key={call.slip.id} call={call} />
      <Outcomes call={call} />
    </section>
  );
}

function Who({ call }: { call: Call }) {
  const client = useQueryClient();
  const tell = useTell();
  const { hint } = useKeys();
  const { dial, dialing } = useDial();
  const live = call.state.phase !== "ended";
  const hangUp = useMutation({
    mutationFn: () => ask(api.POST("/api/calls/{id}/hang-up", { params: { path: { id: call.id } } })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: ["desk"] }),
  });
  const end = () => {
    if (live && !hangUp.isPending) hangUp.mutate();
  };
  useKey("end", live ? end : undefined);
  const person = personOf(call);
  const company = companyOf(call);
  return (
    <div className="flex min-w-0 flex-col gap-1 border-rule-strong p-3.5 min-[64rem]:border-r min-[64rem]:border-dashed">
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
      <p className="text-sm text-quiet">
        {(person ?? company) && (
          <>
            {call.label && `${call.label} `}
            <span className="font-semibold text-ink">{call.display}</span>
            <br />
          </>
        )}
        {t.slip.shown(call.shown)}
      </p>
      <div className="mt-auto flex gap-2 pt-1.5">
        {live ? (
          <Button
            look="ending"
            onClick={end}
            disabled={hangUp.isPending}
            hint={hint("end")}
            aria-keyshortcuts={hint("end")}
          >
            {call.state.phase === "speaking" ? t.slip.end : t.slip.giveUp}
          </Button>
        ) : (
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
    </div>
  );
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
function CallClock({ call }: { call: Call }) {
  const now = useNow(250);
  const parts = partsAt(call.state, now);
  const talked = call.state.answered_at !== null;
  const main = talked ? parts.talking : parts.dialing + parts.ringing;
  const ended = call.state.phase === "ended";
  const { away } = useConnection();
  return (
    <p className="shrink-0 text-right" data-testid="clock">
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

function useNotes(call: Call) {
  const keeper = useMemo(() => keeperOf(call.slip.id, call.slip.notes), [call.slip.id]); // eslint-disable-line react-hooks/exhaustive-deps -- made once a slip; see() takes what comes later
  useEffect(() => {
    keeper.see(call.slip.notes);
  }, [keeper, call.slip.notes]);
  return { keeper, notes: useSyncExternalStore(keeper.subscribe, keeper.get) };
}

function Middle({ call }: { call: Call }) {
  const { keeper, notes } = useNotes(call);
  const field = useRef<HTMLTextAreaElement>(null);
  const file = useFile(call);
  useKey("notes", () => field.current?.focus());
  return (
    <div className="flex min-w-0 flex-col gap-2 border-rule-strong p-3.5 min-[64rem]:border-r min-[64rem]:border-dashed">
      {call.slip.asks_who && <AttachQuestion call={call} />}
      <label className="sr-only" htmlFor={`notes-${call.slip.id}`}>
        {t.slip.notes}
      </label>
      <textarea
        id={`notes-${call.slip.id}`}
        ref={field}
        value={notes.body}
        placeholder={t.slip.notesPlaceholder}
        aria-keyshortcuts="N Control+Enter"
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
        className="min-h-16 w-full flex-1 resize-none rounded-sm border border-transparent bg-transparent leading-5 outline-offset-2 hover:border-rule focus-visible:outline-2"
      />
      {notes.status === "conflict" && <Conflict notes={notes} settle={keeper.settle.bind(keeper)} />}
      <div className="flex gap-2">
        <Subject call={call} />
        <CallType call={call} />
      </div>
      <div className="flex flex-wrap items-center gap-1.5">
        {call.links.map((l) => (
          <LinkChip key={l.record.id} call={call} record={l.record} />
        ))}
        <AttachSearch call={call} />
        <NotesStatus notes={notes} />
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
      className={`ml-auto text-sm ${bad ? "text-waiting" : "text-quiet"}`}
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

/** useChangeSlip sets subject, type or outcome, one change after the other, each upon the version before it. */
export function useChangeSlip(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation({
    scope: { id: `slip-${call.slip.id}` },
    mutationFn: async (change: Omit<Schemas["SlipChange"], "version">) => {
      const desk = client.getQueryData<{ calls: Call[] }>(["desk"]);
      const latest =
        desk?.calls.find((c) => c.id === call.id) ??
        client.getQueryData<{ call: Call }>(["call", call.id])?.call ??
        call;
      const version = Math.max(latest.slip.version, call.slip.version);
      const changed = await ask(
        api.PATCH("/api/slips/{id}", { params: { path: { id: call.slip.id } }, body: { ...change, version } }),
      );
      putCall(client, changed);
    },
    onError: (e) => {
      void client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["call", call.id] });
      tell(e.message, { bad: true });
    },
  });
}

/** putCall takes a newer version of a call into what is shown. */
export function putCall(client: ReturnType<typeof useQueryClient>, call: Call) {
  client.setQueryData<{ calls: Call[] }>(
    ["desk"],
    (desk) => desk && { calls: desk.calls.map((c) => (c.id === call.id ? withNewest(call) : c)) },
  );
  client.setQueryData<Schemas["CallPageDetail"]>(["call", call.id], (page) => page && { ...page, call });
}

function Subject({ call }: { call: Call }) {
  const change = useChangeSlip(call);
  const [text, setText] = useState<string>();
  return (
    <Field
      label={t.slip.subject}
      hidden
      placeholder={t.slip.subject}
      maxLength={200}
      className="min-w-0 flex-1"
      value={text ?? call.slip.subject}
      onChange={(e) => {
        setText(e.target.value);
      }}
      onBlur={() => {
        if (text !== undefined && text !== call.slip.subject) {
          change.mutate(
            { subject: text },
            {
              onSettled: () => {
                setText(undefined);
              },
            },
          );
        } else {
          setText(undefined);
        }
      }}
    />
  );
}

export function CallType({ call, hidden = true }: { call: Call; hidden?: boolean }) {
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  return (
    <Select
      label={t.slip.type}
      hidden={hidden}
      className="w-36"
      value={call.slip.call_type_id ?? ""}
      onChange={(e) => {
        change.mutate(e.target.value ? { call_type_id: e.target.value } : { clear: ["call_type_id"] });
      }}
    >
      <option value="">{t.slip.noType}</option>
      {me?.call_types.map((x) => (
        <option key={x.id} value={x.id}>
          {x.label}
        </option>
      ))}
    </Select>
  );
}

export function LinkChip({ call, record, fixed = false }: { call: Call; record: RecordRef; fixed?: boolean }) {
  const client = useQueryClient();
  const tell = useTell();
  const detach = useMutation({
    mutationFn: () =>
      ask(
        api.DELETE("/api/slips/{id}/records/{record}", { params: { path: { id: call.slip.id, record: record.id } } }),
      ),
    onSuccess: (changed) => {
      putCall(client, changed);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Chip
      remove={
        fixed
          ? undefined
          : () => {
              detach.mutate();
            }
      }
      removeLabel={t.slip.detach(record.name)}
    >
      <Link to="/records/$id" params={{ id: record.id }} className="hover:underline">
        {record.name}
      </Link>
    </Chip>
  );
}

/** useFile files a slip: first the notes, then the slip; what is missing is said. */
function useFile(call: Call) {
  const client = useQueryClient();
  const tell = useTell();
  const filing = useMutation({
    scope: { id: `slip-${call.slip.id}` }, // behind an outcome that is still being saved
    mutationFn: async () => {
      const keeper = keeperOf(call.slip.id, call.slip.notes);
      if (!(await keeper.flush())) {
        const { status, problem } = keeper.get();
        throw status === "conflict" || status === "refused"
          ? new Error(problem ?? t.notes.conflict)
          : new Failure(undefined);
      }
      return ask(
        api.POST("/api/slips/{id}/file", {
          params: { path: { id: call.slip.id }, header: { "Idempotency-Key": `file-${call.slip.id}` } },
        }),
      );
    },
    onSuccess: (filed) => {
      client.setQueryData<{ calls: Call[] }>(
        ["desk"],
        (desk) => desk && { calls: desk.calls.filter((c) => c.id !== filed.id) },
      );
      tell(t.slip.filed(whoOf(filed)));
      document.getElementById("sheet")?.focus({ preventScroll: true });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return {
    run: () => {
      if (!filing.isPending) filing.mutate();
    },
    pending: filing.isPending,
  };
}

function Outcomes({ call }: { call: Call }) {
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  const file = useFile(call);
  const { hint, on } = useKeys();
  const outcomes = me?.outcomes ?? [];
  const chosenId =
    change.isPending && change.variables.outcome_id !== undefined ? change.variables.outcome_id : call.slip.outcome_id;
  const chosen = outcomes.find((o) => o.id === chosenId);
  const choose = (index: number) => {
    const o = outcomes[index];
    if (o) change.mutate(o.id === chosenId ? { clear: ["outcome_id"] } : { outcome_id: o.id });
  };
  useOutcomeKeys(choose);
  const ended = call.state.phase === "ended";
  const canFile = ended && (chosen !== undefined || !me?.firm.outcome_needed);
  useKey("file", file.run);
  useKey(
    "later",
    ended
      ? () => {
          putAside(call.slip.id);
        }
      : undefined,
  );
  return (
    <div className="flex min-w-0 flex-col gap-2 p-3.5">
      <div role="radiogroup" aria-label={t.slip.outcomes} className="grid grid-cols-2 gap-x-3">
        {outcomes.map((o, i) => (
          <button
            key={o.id}
            type="button"
            role="radio"
            aria-checked={o.id === chosenId}
            aria-keyshortcuts={on && i < 9 ? String(i + 1) : undefined}
            onClick={() => {
              choose(i);
            }}
            className={`flex min-h-6 items-center gap-2 border-b border-rule py-0.5 text-left text-sm ${o.id === chosenId ? "font-semibold text-ours" : "text-ink hover:text-ours"}`}
          >
            <span
              aria-hidden
              className={`inline-flex size-4.5 shrink-0 items-center justify-center rounded-sm font-mono text-xs ${o.id === chosenId ? "bg-ours text-on-ours" : "bg-rule/60"}`}
            >
              {on && i < 9 ? i + 1 : o.id === chosenId ? "✓" : ""}
            </span>
            <span className="truncate">{o.label}</span>
          </button>
        ))}
      </div>
      <div className="mt-auto flex items-end justify-between gap-2">
        <p className="text-sm text-quiet" data-testid="what-filing-does">
          {!chosen && me?.firm.outcome_needed
            ? t.slip.chooseOutcome
            : chosen && call.links.length > 0
              ? t.slip.willFile(call.links.map((l) => l.record.name).join(", "), chosen.label)
              : chosen && t.slip.willFileNowhere(chosen.label)}
          {!ended && <span className="block">{t.slip.whileSpeaking}</span>}
        </p>
        <div className="flex shrink-0 gap-2">
          {ended && (
            <Button
              look="quiet"
              title={t.slip.laterHint}
              onClick={() => {
                putAside(call.slip.id);
              }}
            >
              {t.slip.later}
              {hint("later") && <KeyHint>{hint("later")}</KeyHint>}
            </Button>
          )}
          <Button
            look="ours"
            aria-disabled={!canFile}
            disabled={file.pending}
            onClick={file.run}
            hint={hint("file")}
            className={canFile ? "" : "opacity-55"}
          >
            {file.pending ? t.slip.filing : t.slip.file}
          </Button>
        </div>
      </div>
    </div>
  );
}
