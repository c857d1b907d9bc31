import { useQuery } from "@tanstack/react-query";
import { useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import type { Call } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { duration } from "../ui/clock";
import { Area, Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayName } from "../ui/times";
import { Recordings, TalkFigures } from "../voice/recordings";
import { AttachSearch } from "./attach";
import { useChangeSlip } from "./change_slip";
import { useNotes } from "./notes_and_records";
import { CallType, LinkChip, Subject } from "./slip_fields";
import { UnknownCaller } from "./unknown_caller";
import { howLong, sentence, whoOf } from "./words";

/** CallPage is one call: what happened in it, what its slip says and on what it stands, all of which can be corrected. */
export function CallPage() {
  const { id } = useParams({ from: "/frame/calls/$id" });
  const { at } = useSearch({ from: "/frame/calls/$id" });
  const page = useQuery(queries.call(id));
  const [making, setMaking] = useState(false);
  const me = useQuery(queries.me).data;
  if (page.isPending) return <Loading />;
  if (!page.data) return <Failed error={page.error} retry={() => void page.refetch()} title={t.calls.gone} />;
  const { call, facts, changes, recordings } = page.data;
  const heard = recordings.find((r) => r.state === "kept");
  const answered = call.slip.state !== "none";
  const mayCorrect = answered && (call.slip.mine || me?.role !== "rep");
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
        {dayName(call.state.started_at)}, {clockTime(call.state.started_at)} · {call.label} {call.display} ·{" "}
        {howLong(call)}
        {call.state.answered_at && `, ${t.slip.rangFor(duration(call.ring_ms))}`} ·{" "}
        {call.direction === "inbound" ? t.history.on(call.shown) : t.history.from(t.me.device, call.shown)}
        {call.missed_why && ` · ${call.missed_why}`}
        {call.by_hand && ` · ${t.in.list.byHand}`}
      </p>
      <Recordings recordings={recordings} call={call.id} start={at} />
      <div className="mt-5 grid grid-cols-[minmax(0,1fr)_18rem] gap-7 max-[63.9rem]:grid-cols-1">
        <section aria-label={t.calls.correct} className="flex flex-col gap-3">
          {call.slip.state !== "none" && (
            <>
              <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.calls.correct}</h2>
              {mayCorrect ? <Correct key={call.slip.id} call={call} /> : <ReadOnly call={call} />}
            </>
          )}
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
      <p className="whitespace-pre-wrap">{call.slip.notes.body}</p>
    </>
  );
}

function Correct({ call }: { call: Call }) {
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  const { keeper, notes } = useNotes(call);
  return (
    <>
      <div className="flex flex-wrap gap-3">
        <Select
          label={t.slip.outcome}
          className="w-48"
          value={call.slip.outcome_id ?? ""}
          onChange={(e) => {
            change.mutate(e.target.value ? { outcome_id: e.target.value } : { clear: ["outcome_id"] });
          }}
        >
          <option value="">{t.calls.noOutcome}</option>
          {me?.outcomes.map((o) => (
            <option key={o.id} value={o.id}>
              {o.label}
            </option>
          ))}
        </Select>
        <CallType call={call} hidden={false} />
        <Subject call={call} hidden={false} />
      </div>
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
