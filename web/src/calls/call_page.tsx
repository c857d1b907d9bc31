import { useQuery } from "@tanstack/react-query";
import { useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import type { Call, Schemas } from "../api/client";
import { queries, serverNow } from "../api/queries";
import { MessageLine } from "../outreach/thread";
import { HandOverWritten } from "../queues/hand_over_written";
import { t } from "../texts";
import { written } from "../texts/written";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { duration } from "../ui/clock";
import { Dialog } from "../ui/dialog";
import { Area, Check, PickSelect } from "../ui/field";
import { CallAgain } from "../ui/number";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayName } from "../ui/times";
import { FoundAround } from "../insight/found_around";
import { Recordings, TalkFigures } from "./recordings";
import { AttachSearch } from "./attach";
import { CallPath } from "./call_path";
import { CallParts, ListenHere } from "./call_parts";
import { useChangeSlip, useUndoFiling } from "../filing/change_slip";
import { useNotes } from "../filing/notes_and_records";
import { usePlan } from "../filing/plan";
import { PlanItems, whenOf } from "../filing/plan_items";
import { CallType, LinkChip, Subject } from "../filing/slip_fields";
import { SurveyAnswers } from "./survey_answers";
import { UnknownCaller } from "./unknown_caller";
import { howLong, sentence, whoOf } from "./words";

const o = t.after.outcomes;

/** CallPage is one call: what happened in it, what its slip says and on what it stands, all of which can be corrected. */
export function CallPage() {
  const { id } = useParams({ from: "/frame/calls/$id" });
  const { at } = useSearch({ from: "/frame/calls/$id" });
  const page = useQuery(queries.call(id));
  const [making, setMaking] = useState(false);
  const hears = page.data?.recordings.some((r) => r.kind === "call" && r.state === "kept" && r.may_hear) ?? false;
  const said = useQuery({ ...queries.saidTopics(id), enabled: hears }).data ?? [];
  if (page.isPending) return <Loading />;
  if (!page.data) return <Failed error={page.error} retry={() => void page.refetch()} title={t.calls.gone} />;
  const { call, facts, changes, recordings, filing, answers, survey, messages = [] } = page.data;
  const heard = recordings.find((r) => r.state === "kept" && r.kind !== "consultation");
  const answered = call.slip.state !== "none";
  const mayCorrect = answered && call.slip.may_change === true;
  const mayAttach = mayCorrect || call.slip.state === "none"; // what nobody answered is everybody's
  return (
    <>
      <div className="flex items-start justify-between gap-4">
        <h1 className="name text-xl">{sentence(call, whoOf(call), call.slip.rep_name)}</h1>
        {call.slip.state !== "filed" ? (
          <Badge tone="waiting">{answered ? t.history.notFiled : t.history.missed}</Badge>
        ) : (
          call.slip.outcome && <Badge tone={call.slip.outcome_reached ? "theirs" : "quiet"}>{call.slip.outcome}</Badge>
        )}
      </div>
      <p className="text-quiet">
        {dayName(call.state.started_at)}, {clockTime(call.state.started_at)} · {call.label}{" "}
        <CallAgain call={call} name={whoOf(call)} /> · {howLong(call)}
        {call.state.answered_at && `, ${t.slip.rangFor(duration(call.ring_ms))}`} ·{" "}
        {call.direction === "inbound" ? t.history.on(call.shown) : t.history.from(t.me.device, call.shown)}
        {call.missed_why && ` · ${call.missed_why}`}
        {call.by_hand && ` · ${t.in.list.byHand}`}
      </p>
      {page.data.may_listen && <ListenHere call={call.id} />}
      {page.data.parts && <CallParts parts={page.data.parts} />}
      <FoundAround id={call.id} />
      <CallPath lanes={page.data.path ?? []} they={whoOf(call)} ms={page.data.long_ms ?? 0} />
      <Recordings recordings={recordings} call={call.id} start={at} topics={said} />
      <div className="mt-5 grid grid-cols-[minmax(0,1fr)_18rem] gap-7 max-[63.9rem]:grid-cols-1">
        <section aria-label={t.calls.correct} className="flex flex-col gap-3">
          {call.slip.state !== "none" && (
            <>
              <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.calls.correct}</h2>
              {mayCorrect ? <Correct key={call.slip.id} call={call} filing={filing} /> : <ReadOnly call={call} />}
            </>
          )}
          {(messages.length > 0 || mayCorrect) && call.direction !== "internal" && (
            <Written call={call} messages={messages} mayHand={mayCorrect} />
          )}
          {survey && <SurveyAnswers call={call.id} answers={survey} />}
          {answers && answers.length > 0 && (
            <section aria-label={t.after.scripts.answers} data-testid="answers">
              <h2 className="mt-2 border-b border-rule-strong pb-1 text-quiet">{t.after.scripts.answers}</h2>
              <dl>
                {answers.map((x) => (
                  <div key={x.key} className="flex justify-between gap-4 border-b border-rule py-1">
                    <dt className="text-quiet">{x.question}</dt>
                    <dd>{x.answer}</dd>
                  </div>
                ))}
              </dl>
            </section>
          )}
          {filing && <Did call={call} filing={filing} />}
          <h2 className="mt-2 border-b border-rule-strong pb-1 text-quiet">{t.calls.links}</h2>
          {call.links.length === 0 && <p className="text-quiet">{t.calls.nowhere}</p>}
          <div className="flex flex-wrap gap-1.5">
            {call.links.map((l) => (
              <LinkChip key={l.record.id} call={call} record={l.record} fixed={!mayAttach} />
            ))}
            {mayAttach && <AttachSearch call={call} />}
            {mayAttach && call.links.length === 0 && call.direction !== "internal" && !making && (
              <Button
                onClick={() => {
                  setMaking(true);
                }}
              >
                {t.in.unknown.make}
              </Button>
            )}
          </div>
          {making && (
            <UnknownCaller
              call={call}
              company={null}
              onDone={() => {
                setMaking(false);
              }}
            />
          )}
        </section>
        <div>
          {heard && <TalkFigures figures={heard.figures} ms={heard.ms} />}
          <section aria-label={t.calls.path}>
            <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.calls.path}</h2>
            <ol>
              {facts.map((f) => (
                <li key={f.seq} className="flex gap-3 border-b border-rule py-1">
                  <span className="w-11 text-quiet">
                    {duration(Date.parse(f.at) - Date.parse(call.state.started_at))}
                  </span>
                  {f.text}
                </li>
              ))}
            </ol>
          </section>
          {(call.slip.state !== "none" || changes.length > 0) && (
            <section aria-label={t.calls.changes} className="mt-6" data-testid="changes">
              <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.calls.changes}</h2>
              {changes.length === 0 && <Empty>{t.calls.noChanges}</Empty>}
              <ul>
                {changes.map((c, i) => (
                  <li key={i} className="border-b border-rule py-1">
                    <span className="block">{c.text}</span>
                    <span className="block text-sm text-quiet">
                      {c.actor}, {dayName(c.at)}, {clockTime(c.at)}
                    </span>
                  </li>
                ))}
              </ul>
            </section>
          )}
        </div>
      </div>
    </>
  );
}

/** ReadOnly is what a colleague's slip says. */
function ReadOnly({ call }: { call: Call }) {
  const words = [call.slip.outcome, call.slip.call_type, call.slip.subject].filter(Boolean).join(" · ");
  return (
    <>
      <p>{words || t.calls.noOutcome}</p>
      {call.slip.notes_hidden && <p className="text-quiet">{t.after.visible.hidden}</p>}
      <p className="whitespace-pre-wrap">{call.slip.notes.body}</p>
    </>
  );
}

/** Did says what filing a call's slip did, and lets it be undone while it can be. */
function Did({ call, filing }: { call: Call; filing: Schemas["Filing"] }) {
  const undo = useUndoFiling();
  if (filing.effects.length === 0) return null;
  return (
    <section aria-label={o.did} data-testid="did">
      <h2 className="mt-2 flex items-end justify-between border-b border-rule-strong pb-1 text-quiet">
        {o.did}
        {call.slip.state === "filed" && Date.parse(filing.undo_until) > serverNow() && !filing.undone && (
          <Button
            disabled={undo.isPending}
            onClick={() => {
              undo.mutate(call);
            }}
          >
            {o.undo}
          </Button>
        )}
      </h2>
      <ul>
        {filing.effects.map((e, i) => (
          <li key={i} className={`border-b border-rule py-1 ${e.state === "undone" ? "text-quiet line-through" : ""}`}>
            {[e.words, whenOf(e)].filter(Boolean).join(", ")}
            {e.state === "stays" && <span className="text-waiting"> ({e.why})</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** NewOutcome says what follows from a filed call's new outcome, and asks what of it is wanted. */
function NewOutcome({
  call,
  filing,
  next,
  onDone,
}: {
  call: Call;
  filing: Schemas["Filing"] | undefined;
  next: Schemas["Outcome"];
  onDone: () => void;
}) {
  const change = useChangeSlip(call);
  const plan = usePlan(call, next);
  const did = filing?.undone ? [] : (filing?.effects ?? []).filter((e) => e.state === "done");
  const [takeBack, setTakeBack] = useState(true);
  const set = (items: boolean) => {
    change.mutate(
      {
        outcome_id: next.id,
        take_back: did.length > 0 && takeBack,
        ...(items ? { items: plan.items } : {}),
      },
      { onSuccess: onDone },
    );
  };
  const does = plan.items.length > 0;
  return (
    <Dialog
      open
      onClose={onDone}
      title={o.correct}
      actions={
        <>
          <Button onClick={onDone}>{o.cancel}</Button>
          <Button
            look={does ? "plain" : "ours"}
            disabled={change.isPending}
            onClick={() => {
              set(false);
            }}
          >
            {o.changeOnly}
          </Button>
          {does && (
            <Button
              look="ours"
              disabled={change.isPending}
              onClick={() => {
                set(true);
              }}
            >
              {o.changeAndDo}
            </Button>
          )}
        </>
      }
    >
      {did.length > 0 && (
        <>
          <p>{o.former(call.slip.outcome)}</p>
          <ul className="mb-2 list-disc pl-5">
            {did.map((e, i) => (
              <li key={i}>{[e.words, whenOf(e)].filter(Boolean).join(", ")}</li>
            ))}
          </ul>
          <Check label={o.takeBack} checked={takeBack} onChange={setTakeBack} />
        </>
      )}
      {does && (
        <>
          <p className="mt-3 mb-1">{o.andDo(next.label)}</p>
          <PlanItems call={call} outcome={next.id} items={plan.items} zone={plan.zone} />
        </>
      )}
    </Dialog>
  );
}

function Correct({ call, filing }: { call: Call; filing: Schemas["Filing"] | undefined }) {
  const [next, setNext] = useState<Schemas["Outcome"]>();
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  const { keeper, notes } = useNotes(call);
  return (
    <>
      <div className="flex flex-wrap gap-3">
        <PickSelect
          label={t.slip.outcome}
          className="w-48"
          value={call.slip.outcome_id ?? ""}
          onPick={(id) => {
            const chosen = me?.outcomes.find((x) => x.id === id);
            const did = filing && !filing.undone && filing.effects.some((x) => x.state === "done");
            if (call.slip.state === "filed" && chosen && (chosen.acts || did)) setNext(chosen);
            else change.mutate(id ? { outcome_id: id } : { clear: ["outcome_id"] });
          }}
        >
          <option value="">{t.calls.noOutcome}</option>
          {me?.outcomes.map((x) => (
            <option key={x.id} value={x.id}>
              {x.label}
            </option>
          ))}
        </PickSelect>
        <CallType call={call} hidden={false} />
        <Subject call={call} hidden={false} />
      </div>
      {next && (
        <NewOutcome
          call={call}
          filing={filing}
          next={next}
          onDone={() => {
            setNext(undefined);
          }}
        />
      )}
      <Area
        label={t.slip.notes}
        rows={6}
        value={notes.body}
        problem={notes.problem}
        onChange={(e) => {
          keeper.type(e.target.value);
        }}
        onBlur={() => void keeper.flush()}
      />
    </>
  );
}

/** Written is what was written from a call, and where it can be handed over in writing. */
function Written({ call, messages, mayHand }: { call: Call; messages: Schemas["Message"][]; mayHand: boolean }) {
  const [handing, setHanding] = useState(false);
  const hasQueues = (useQuery(queries.queues).data ?? []).length > 0;
  if (messages.length === 0 && !hasQueues) return null;
  return (
    <section aria-label={written.from} data-testid="written-from">
      {messages.length > 0 && (
        <>
          <h2 className="mt-2 border-b border-rule-strong pb-1 text-quiet">{written.from}</h2>
          <ul>
            {messages.map((m) => (
              <li key={m.id} className="border-b border-rule py-1">
                <MessageLine message={m} />
              </li>
            ))}
          </ul>
        </>
      )}
      {mayHand && hasQueues && (
        <Button
          className="mt-2"
          onClick={() => {
            setHanding(true);
          }}
        >
          {written.act}
        </Button>
      )}
      {handing && (
        <HandOverWritten
          call={call}
          onClose={() => {
            setHanding(false);
          }}
        />
      )}
    </section>
  );
}
