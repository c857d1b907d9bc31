import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { insight } from "../texts/insight";
import { player } from "../texts/player";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { Field, Select } from "../ui/field";
import { clockTime, dayName } from "../ui/times";
import { useTell } from "../ui/toast";
import { Scores } from "../insight/scores";
import { TopicLetters } from "./topic_letters";
import { VoiceTrace } from "./trace";
import { Words } from "./said";

type Rec = Schemas["Recording"];
type Side = "both" | "ours" | "theirs";

const p = player;
const speeds = [0.75, 1, 1.25, 1.5, 1.75, 2];
const perSecond = 5; // values of the voice trace
const silentFor = 5; // values: a second of quiet on both sides is silence that can be skipped
const quiet = 6; // height up to which nobody speaks

/** silenceEnd is where, in seconds, the silence at a moment ends; undefined where somebody speaks there. */
export function silenceEnd(trace: Schemas["VoiceTrace"], at: number): number | undefined {
  const from = Math.floor(at * perSecond);
  let i = from;
  while (i < trace.ours.length && (trace.ours[i] ?? 0) <= quiet && (trace.theirs[i] ?? 0) <= quiet) i++;
  return i - from >= silentFor ? i / perSecond - 0.2 : undefined;
}

/** useSides plays the two channels of an audio element each by itself, made even by their gains. */
function useSides(audio: React.RefObject<HTMLAudioElement | null>, rec: Rec) {
  const gains = useRef<{ ours: GainNode; theirs: GainNode; context: AudioContext }>(null);
  const [side, setSide] = useState<Side>("both");
  const apply = (s: Side) => {
    const g = gains.current;
    if (!g) return;
    g.ours.gain.value = s === "theirs" ? 0 : 10 ** (rec.gain_ours / 20);
    g.theirs.gain.value = s === "ours" ? 0 : 10 ** (rec.gain_theirs / 20);
  };
  useEffect(
    () => () => {
      void gains.current?.context.close();
      gains.current = null;
    },
    [],
  );
  return {
    side,
    choose: (s: Side) => {
      setSide(s);
      apply(s);
    },
    /** begin must be called from a click or key: before that browsers let nothing sound. */
    begin: () => {
      if (gains.current || !audio.current) return;
      const context = new AudioContext();
      const split = context.createChannelSplitter(2);
      const ours = context.createGain();
      const theirs = context.createGain();
      context.createMediaElementSource(audio.current).connect(split);
      split.connect(ours, 0).connect(context.destination);
      split.connect(theirs, 1).connect(context.destination);
      gains.current = { ours, theirs, context };
      apply(side);
    },
  };
}

/** Player plays a recording: from anywhere, faster or slower, each side alone, without its silences; with remarks at moments. */
export function Player({
  rec,
  call,
  start = 0,
  topics = [],
  scored = false,
}: {
  rec: Rec;
  call: string;
  start?: number;
  topics?: Schemas["SaidTopic"][];
  scored?: boolean; // with how the call was scored, and a card to score it by
}) {
  const audio = useRef<HTMLAudioElement>(null);
  const [at, setAt] = useState(start);
  const [playing, setPlaying] = useState(false);
  const [speed, setSpeed] = useState(1);
  const [skip, setSkip] = useState(false);
  const [failed, setFailed] = useState(false);
  const sides = useSides(audio, rec);
  const whole = rec.ms / 1000;
  const go = (to: number) => {
    const next = Math.max(0, Math.min(whole, to));
    if (audio.current) audio.current.currentTime = next;
    setAt(next);
  };
  const turn = () => {
    const a = audio.current;
    if (!a) return;
    sides.begin();
    if (!a.paused) {
      a.pause();
      return;
    }
    if (a.currentTime === 0 && at > 0) a.currentTime = at;
    a.playbackRate = speed;
    void a.play().catch(() => {
      setFailed(true);
    });
  };
  const keys = (e: KeyboardEvent) => {
    const typing = [HTMLInputElement, HTMLSelectElement, HTMLTextAreaElement].some(
      (field) => e.target instanceof field,
    );
    if (typing) return;
    const step = e.shiftKey ? 30 : 5;
    if (e.key === "ArrowLeft") go(at - step);
    else if (e.key === "ArrowRight") go(at + step);
    else if (e.key === "Home") go(0);
    else if (e.key === "End") go(whole);
    else if (e.key === " " && !(e.target instanceof HTMLButtonElement)) turn();
    else return;
    e.preventDefault();
  };
  return (
    <section aria-label={rec.kind === "message" ? p.message : p.title} data-testid="player" onKeyDown={keys}>
      <audio
        ref={audio}
        src={`/api/recordings/${rec.id}/sound`}
        preload="none"
        onPlay={() => {
          setPlaying(true);
        }}
        onPause={() => {
          setPlaying(false);
        }}
        onError={() => {
          setFailed(true);
        }}
        onTimeUpdate={(e) => {
          const now = e.currentTarget.currentTime;
          const end = skip && !e.currentTarget.paused ? silenceEnd(rec.trace, now) : undefined;
          if (end !== undefined) e.currentTarget.currentTime = end;
          setAt(end ?? now);
        }}
      />
      <TopicLetters topics={topics} ms={rec.ms} go={go} />
      <div className="flex gap-2">
        <div aria-hidden className="flex w-11 flex-col justify-around text-sm">
          <span className="text-ours">{p.ours}</span>
          <span className="text-theirs">{p.theirs}</span>
        </div>
        <div
          role="slider"
          tabIndex={0}
          aria-label={p.position}
          aria-valuemin={0}
          aria-valuemax={Math.round(whole)}
          aria-valuenow={Math.round(at)}
          aria-valuetext={player.of(duration(at * 1000), duration(rec.ms))}
          className="flex-1 cursor-pointer rounded-sm border border-rule bg-paper"
          onPointerDown={(e) => {
            const box = e.currentTarget.getBoundingClientRect();
            go(((e.clientX - box.left) / box.width) * whole);
          }}
        >
          <VoiceTrace
            trace={rec.trace}
            at={whole ? at / whole : 0}
            gaps={rec.gaps.map((g) => ({ from: g.from_ms / rec.ms, to: g.to_ms / rec.ms }))}
            ticks={rec.remarks.map((m) => m.at_ms / rec.ms)}
            className="h-24"
          />
        </div>
      </div>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Button look="ours" onClick={turn} className="min-w-20 justify-center">
          {playing ? p.pause : p.play}
        </Button>
        <span className="flex min-h-8 min-w-24 items-center" data-testid="position">
          {p.of(duration(at * 1000), duration(rec.ms))}
        </span>
        <Select
          label={p.speed}
          value={String(speed)}
          onChange={(e) => {
            setSpeed(Number(e.target.value));
            if (audio.current) audio.current.playbackRate = Number(e.target.value);
          }}
        >
          {speeds.map((s) => (
            <option key={s} value={s}>
              {s}×
            </option>
          ))}
        </Select>
        <Select
          label={p.hear}
          value={sides.side}
          onChange={(e) => {
            sides.choose(e.target.value as Side);
          }}
        >
          <option value="both">{p.both}</option>
          <option value="ours">{p.ours}</option>
          <option value="theirs">{p.theirs}</option>
        </Select>
        <label className="flex min-h-8 items-center gap-1.5">
          <input
            type="checkbox"
            checked={skip}
            onChange={(e) => {
              setSkip(e.target.checked);
            }}
          />
          {p.skip}
        </label>
        <a
          href={`/api/recordings/${rec.id}/sound?download=1`}
          download
          className="ml-auto flex min-h-8 items-center text-quiet underline hover:text-ink"
        >
          {p.download}
        </a>
      </div>
      {failed && (
        <p role="alert" className="mt-1 text-ending">
          {p.failed}
        </p>
      )}
      {rec.gaps.map((g) => (
        <p key={g.from_ms} className="mt-1 text-sm text-waiting">
          {p.gap(duration(g.from_ms), duration(g.to_ms), g.reason)}
        </p>
      ))}
      {rec.trouble && <p className="mt-1 text-sm text-waiting">{p.trouble(rec.trouble)}</p>}
      <Words recording={rec.id} at={at} go={go} topics={topics} />
      <Remarks rec={rec} call={call} at={at} go={go} />
      {scored && <Scores call={call} at={at} go={go} />}
    </section>
  );
}

function Remarks({ rec, call, at, go }: { rec: Rec; call: string; at: number; go: (to: number) => void }) {
  const [text, setText] = useState("");
  const [whom, setWhom] = useState<NonNullable<Schemas["NewRemark"]["for"]>>("team");
  const client = useQueryClient();
  const tell = useTell();
  const add = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/recordings/{id}/remarks", {
          params: { path: { id: rec.id } },
          body: { at_ms: Math.round(at * 1000), text, for: whom },
        }),
      ),
    onSuccess: () => {
      setText("");
      void client.invalidateQueries({ queryKey: keys.call(call) });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <div className="mt-3">
      <ul>
        {rec.remarks.map((m) => (
          <li key={m.id} className="flex gap-3 border-b border-rule py-1">
            <a
              href={`/calls/${call}?at=${Math.floor(m.at_ms / 1000)}`}
              className="w-12 text-ours underline"
              onClick={(e) => {
                if (e.ctrlKey || e.metaKey) return;
                e.preventDefault();
                go(m.at_ms / 1000);
              }}
            >
              {duration(m.at_ms)}
            </a>
            <span className="flex-1">
              {m.text}
              {m.for && m.for !== "team" && <span className="text-sm text-quiet"> ({insight.remark.whom[m.for]})</span>}
            </span>
            <span className="text-sm text-quiet">
              {m.by}, {dayName(m.at)}, {clockTime(m.at)}
            </span>
          </li>
        ))}
      </ul>
      <form
        className="mt-1.5 flex items-end gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim()) add.mutate();
        }}
      >
        <Field
          label={p.remarkAt(duration(at * 1000))}
          className="w-96 max-w-full"
          maxLength={2000}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <Select
          label={insight.remark.for}
          value={whom}
          onChange={(e) => {
            setWhom(e.target.value as typeof whom);
          }}
        >
          {Object.entries(insight.remark.whom).map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </Select>
        <Button type="submit" disabled={add.isPending || !text.trim()}>
          {p.remark}
        </Button>
      </form>
    </div>
  );
}
