import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { t } from "../texts";
import { player } from "../texts/player";
import { longDate } from "../ui/times";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { Player } from "./player";

type Rec = Schemas["Recording"];

const p = player;

/** Recordings are those of a call: to be heard where one may, and what they say about it. */
export function Recordings({
  recordings,
  call,
  start,
  topics = [],
}: {
  recordings: Rec[];
  call: string;
  start?: number | undefined;
  topics?: Schemas["SaidTopic"][];
}) {
  const first = recordings.find((r) => r.kind === "call" && r.state === "kept" && r.may_hear)?.id;
  return recordings.map((r) => (
    <div key={r.id} className="mt-4" data-testid="call-recording" data-state={r.state}>
      {r.kind === "consultation" && <h3 className="text-sm font-bold">{p.consultation}</h3>}
      {r.state === "going" && <p className="text-quiet">{p.going}</p>}
      {r.state === "deleted" && <p className="text-quiet">{r.deleted}</p>}
      {r.state === "kept" &&
        (r.may_hear ? (
          <Player
            rec={r}
            call={call}
            start={start ?? 0}
            topics={r.id === first ? topics : []}
            scored={r.id === first}
          />
        ) : (
          <p className="text-quiet">{p.notYours}</p>
        ))}
      {r.why && <p className="mt-1 text-sm text-quiet">{p.because(r.why)}</p>}
      {r.heard && <p className="mt-1 text-sm text-quiet">{r.heard}</p>}
      {r.held && <p className="mt-1 text-sm text-quiet">{r.held}</p>}
      {r.expires_at && (
        <p className="mt-1 text-sm font-semibold text-waiting">{p.expires(longDate(r.expires_at, false))}</p>
      )}
      {r.may_delete && (
        <p className="mt-2 flex gap-4">
          <WithReason rec={r} what={r.held ? "release" : "hold"} />
          {!r.held && <WithReason rec={r} what="delete" />}
        </p>
      )}
    </div>
  ));
}

/** WithReason deletes, holds or lets go a recording, and asks why. */
function WithReason({ rec, what }: { rec: Rec; what: "delete" | "hold" | "release" }) {
  const words = p.acts[what];
  const path = { params: { path: { id: rec.id } } };
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  const remove = useMutation({
    mutationFn: () =>
      what === "delete"
        ? ask(api.POST("/api/recordings/{id}/delete", { ...path, body: { reason } }))
        : ask(api.POST("/api/recordings/{id}/hold", { ...path, body: { on: what === "hold", reason } })),
    onSuccess: () => {
      setOpen(false);
    },
  });
  return (
    <>
      <button
        type="button"
        className={`text-sm underline ${what === "delete" ? "text-ending" : "text-quiet"}`}
        onClick={() => {
          setOpen(true);
        }}
      >
        {words.act}
      </button>
      <Dialog
        open={open}
        onClose={() => {
          setOpen(false);
        }}
        title={words.title}
      >
        <form
          onSubmit={(e) => {
            e.preventDefault();
            remove.mutate();
          }}
          className="flex flex-col gap-3"
        >
          <p>{words.text}</p>
          <Field
            label={words.why}
            value={reason}
            maxLength={200}
            onChange={(e) => {
              setReason(e.target.value);
            }}
          />
          {remove.error && (
            <p role="alert" className="text-ending">
              {remove.error.message}
            </p>
          )}
          <Button
            look={what === "delete" ? "ending" : "ours"}
            type="submit"
            disabled={remove.isPending || (what !== "release" && !reason.trim())}
          >
            {words.act}
          </Button>
        </form>
      </Dialog>
    </>
  );
}

/** TalkFigures are what the two voices say about a call. */
export function TalkFigures({ figures: f, ms }: { figures: Schemas["TalkFigures"]; ms: number }) {
  const x = t.voice.figures;
  if (f.ours_ms + f.theirs_ms === 0) return null;
  const ours = Math.round(f.ours_share * 100);
  const lines: [string, string][] = [
    [x.silence, `${duration(f.silence_ms)} · ${Math.round((100 * f.silence_ms) / Math.max(1, ms))} %`],
    [x.overlap, duration(f.overlap_ms)],
    [x.longestOurs, duration(f.longest_ours_ms)],
    [x.longestTheirs, duration(f.longest_theirs_ms)],
    [x.interruptedThem, x.times(f.interrupted_them)],
    [x.interruptedUs, x.times(f.interrupted_us)],
    ...(f.first_answer_ms > 0
      ? [[x.firstAnswer, `${(f.first_answer_ms / 1000).toFixed(1)} s`] satisfies [string, string]]
      : []),
  ];
  return (
    <section aria-label={x.title} className="mb-6" data-testid="talk-figures">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{x.title}</h2>
      <svg viewBox="0 0 100 8" preserveAspectRatio="none" aria-hidden className="mt-2 block h-2 w-full">
        <rect width={ours} height="8" className="fill-ours" />
        <rect x={ours} width={100 - ours} height="8" className="fill-theirs" />
      </svg>
      <p className="py-1">{x.share(ours)}</p>
      <dl>
        {lines.map(([word, value]) => (
          <div key={word} className="flex justify-between border-t border-rule py-1">
            <dt className="text-quiet">{word}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
