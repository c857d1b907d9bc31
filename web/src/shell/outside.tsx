import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area, Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { exchange } from "../calls/sound";

const o = t.outside;
const w = t.after.post;

const whos = ["typed", "book", "unknown", "withheld", "foreign"] as const;
type Who = (typeof whos)[number];
const whoWords: Record<Who, string> = {
  typed: o.whoTyped,
  book: o.whoBook,
  unknown: o.whoUnknown,
  withheld: o.whoWithheld,
  foreign: o.whoForeign,
};
// Numbers that are set apart for fiction.
const numberFor: Partial<Record<Who, string>> = { unknown: "+1 212 555 0178", foreign: "+44 20 7946 0123" };

/** PickCaller finds somebody of the book, and lets them call from one of their numbers. */
function PickCaller({ onPick }: { onPick: (number: string) => void }) {
  const [text, setText] = useState("");
  const q = useDeferredValue(text.trim());
  const found = useQuery({ ...queries.find(q), enabled: q !== "" });
  return (
    <div>
      <Field
        label={o.pick}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
        }}
      />
      <ul>
        {(q ? (found.data?.records ?? []) : []).slice(0, 5).map((r) => (
          <li key={r.id} className="flex flex-wrap items-center gap-1.5 py-0.5">
            <span className="name">{r.name}</span>
            {r.numbers.slice(0, 3).map((n) => (
              <Button
                key={n.id}
                onClick={() => {
                  onPick(n.typed);
                }}
              >
                {n.label} {n.display}
              </Button>
            ))}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** SendField is a line of text that is sent with Enter: keys to press, or words to say. */
function SendField({
  label,
  className,
  maxLength,
  allow = (text) => text,
  send,
}: {
  label: string;
  className: string;
  maxLength: number;
  allow?: (text: string) => string;
  send: (text: string) => void;
}) {
  const [text, setText] = useState("");
  return (
    <form
      className="flex gap-1"
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim()) send(text);
        setText("");
      }}
    >
      <Field
        label={label}
        hidden
        placeholder={label}
        className={className}
        maxLength={maxLength}
        value={text}
        onChange={(e) => {
          setText(allow(e.target.value));
        }}
      />
    </form>
  );
}

/** HearLeg lets whoever plays the outside hear and speak on a leg with this browser. */
function HearLeg({ leg }: { leg: string }) {
  const tell = useTell();
  const [pc, setPC] = useState<RTCPeerConnection>();
  useEffect(
    () => () => {
      pc?.close();
    },
    [pc],
  );
  const connect = async () => {
    const made = new RTCPeerConnection();
    try {
      // Without a microphone one only listens.
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true }).catch(() => undefined);
      const track = stream?.getAudioTracks()[0];
      if (track && stream) made.addTrack(track, stream);
      else made.addTransceiver("audio", { direction: "recvonly" });
      made.ontrack = (e) => {
        const speaker = new Audio();
        speaker.srcObject = e.streams[0] ?? new MediaStream([e.track]);
        void speaker.play();
      };
      await exchange(made, (offer) => ask(api.POST("/api/outside/sound", { body: { ref: leg, offer } })));
      setPC(made);
    } catch (e) {
      made.close();
      tell(e instanceof Error ? e.message : t.failed.unknown, { bad: true });
    }
  };
  return (
    <Button
      aria-pressed={pc !== undefined}
      onClick={() => {
        if (pc) setPC(undefined);
        else void connect();
      }}
    >
      {pc ? t.voice.outside.stop : t.voice.outside.hear}
    </Button>
  );
}

/** OutsidePost is what the firm has written, and a place to write to it. */
function OutsidePost({
  post,
  line,
  act,
}: {
  post: Schemas["OutsidePost"][];
  line: string;
  act: (body: Schemas["OutsideAct"]) => void;
}) {
  const [from, setFrom] = useState("413 555 0142");
  const [to, setTo] = useState<{ address: string; subject: string; reply?: string | undefined }>();
  const [text, setText] = useState("");
  const mail = from.includes("@");
  return (
    <section aria-label={w.outsideTitle} className="mt-6 border-t border-rule-strong pt-3" data-testid="outside-post">
      <h2 className="name">{w.outsideTitle}</h2>
      {post.length === 0 && <p className="py-1 text-sm text-quiet">{w.outsideNone}</p>}
      <ul className="max-h-60 overflow-y-auto">
        {post.map((m, i) => (
          <li key={i} className="border-b border-rule py-1.5">
            <span className="flex justify-between gap-2 text-sm text-quiet">
              {w.channels[m.channel]}: {m.who || m.to}
              <button
                type="button"
                className="min-h-6 font-semibold text-ours hover:underline"
                onClick={() => {
                  setFrom(m.to);
                  setTo({ address: m.from, subject: `Re: ${m.subject}`, reply: m.reply_to });
                }}
              >
                {w.outsideAnswer}
              </button>
            </span>
            {m.subject && <span className="block font-semibold">{m.subject}</span>}
            <span className="block break-words whitespace-pre-wrap">{m.body}</span>
          </li>
        ))}
      </ul>
      <form
        className="mt-2 flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (!text.trim()) return;
          act({
            action: "write",
            channel: mail ? "mail" : "text",
            from,
            to: mail ? (to?.address ?? "firm@localhost") : (to?.address ?? line),
            text,
            ...(mail ? { subject: to?.subject ?? text.slice(0, 60) } : {}),
            ...(to?.reply ? { reply_to: to.reply } : {}),
          });
          setText("");
          setTo(undefined);
        }}
      >
        <Field
          label={w.outsideFrom}
          value={from}
          onChange={(e) => {
            setFrom(e.target.value);
            setTo(undefined);
          }}
        />
        <Area
          label={w.outsideText}
          rows={2}
          maxLength={5000}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <Button type="submit" look="ours" className="self-start" disabled={!text.trim()}>
          {w.outsideSend}
        </Button>
      </form>
    </section>
  );
}

/** OutsidePhone is the other side of the simulated network, in a window of its own. */
export function OutsidePhone() {
  const outside = useQuery(queries.outside);
  const client = useQueryClient();
  const tell = useTell();
  const [who, setWho] = useState<Who>("typed");
  const [from, setFrom] = useState("413 555 0142");
  const [to, setTo] = useState("");
  const [played, setPlayed] = useState("");
  const [rate, setRate] = useState("120");
  const act = useMutation({
    mutationFn: (body: Schemas["OutsideAct"]) => ask(api.POST("/api/outside", { body })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSuccess: (now) => {
      client.setQueryData(keys.outside(), now);
    },
  });
  if (outside.isPending) return <Loading />;
  if (!outside.data) return <Failed error={outside.error} title={o.gone} />;
  const { lines, legs, morning } = outside.data;
  const line = to || (lines[0]?.e164 ?? "");
  return (
    <main className="mx-auto max-w-md p-5">
      <h1 className="name text-xl">{o.title}</h1>
      <p className="mt-1 text-sm text-quiet">{o.intro}</p>
      <form
        className="mt-4 flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          act.mutate({ action: "call", from: who === "withheld" ? "" : from, to: line });
        }}
      >
        <Select
          label={o.who}
          value={who}
          onChange={(e) => {
            const next = whos.find((w) => w === e.target.value) ?? "typed";
            setWho(next);
            setFrom(numberFor[next] ?? from);
          }}
        >
          {whos.map((w) => (
            <option key={w} value={w}>
              {whoWords[w]}
            </option>
          ))}
        </Select>
        {who === "book" && <PickCaller onPick={setFrom} />}
        {who !== "withheld" && (
          <Field
            label={o.from}
            value={from}
            onChange={(e) => {
              setFrom(e.target.value);
            }}
          />
        )}
        <Select
          label={o.to}
          value={line}
          onChange={(e) => {
            setTo(e.target.value);
          }}
        >
          {lines.map((l) => (
            <option key={l.e164} value={l.e164}>
              {l.label} {l.e164}
            </option>
          ))}
        </Select>
        <Button type="submit" look="ours" disabled={act.isPending}>
          {o.call}
        </Button>
      </form>
      <h2 className="mt-6 border-b border-rule-strong pb-1 text-quiet">{o.legs}</h2>
      {legs.length === 0 && <p className="py-2 text-quiet">{o.none}</p>}
      <ul data-testid="outside-legs">
        {legs.map((l) => (
          <li key={l.ref} className="flex flex-wrap items-center gap-2 border-b border-rule py-2">
            <span className="min-w-0 flex-1">
              <span className="name block truncate">{l.who || (l.from_us ? l.to : l.from || t.ring.withheld)}</span>
              <span className="text-sm text-quiet">
                {l.from_us ? o.outgoing(l.to) : o.incoming(lines.find((x) => x.e164 === l.to)?.label ?? l.to)} ·{" "}
                {l.answered ? o.answered : o.ringing}
                {l.hears && ` · ${o.hears(l.hears)}`}
                {l.keys && ` · ${o.keysHeard(l.keys)}`}
              </span>
            </span>
            {l.from_us && !l.answered && (
              <Button
                look="ours"
                onClick={() => {
                  act.mutate({ action: "answer", ref: l.ref });
                }}
              >
                {o.answer}
              </Button>
            )}
            {l.answered && (
              <>
                <HearLeg leg={l.ref} />
                <SendField
                  label={t.voice.say}
                  className="w-40"
                  maxLength={500}
                  send={(said) => {
                    act.mutate({ action: "say", ref: l.ref, text: said });
                  }}
                />
                <SendField
                  label={o.keys}
                  className="w-16"
                  maxLength={32}
                  allow={(digits) => digits.replace(/[^0-9*#A-D]/g, "")}
                  send={(digits) => {
                    act.mutate({ action: "press", ref: l.ref, digits });
                  }}
                />
              </>
            )}
            <Button
              look="ending"
              onClick={() => {
                act.mutate({ action: "hang_up", ref: l.ref });
              }}
            >
              {o.hangUp}
            </Button>
          </li>
        ))}
      </ul>
      <form
        className="mt-6 flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          act.mutate({ action: "play", to: played });
        }}
      >
        <Field
          label={o.play}
          value={played}
          placeholder="+1…"
          onChange={(e) => {
            setPlayed(e.target.value);
          }}
        />
        <span className="flex gap-2">
          <Button type="submit" disabled={!played.trim()}>
            {o.playing}
          </Button>
          <Button
            disabled={!played.trim()}
            onClick={() => {
              act.mutate({ action: "leave", to: played });
            }}
          >
            {o.leave}
          </Button>
        </span>
      </form>
      <OutsidePost post={outside.data.post} line={line} act={act.mutate} />
      <section aria-label={o.morning} className="mt-6 border-t border-rule-strong pt-3">
        <h2 className="name">{o.morning}</h2>
        <p className="text-sm text-quiet">{o.morningText}</p>
        <form
          className="mt-2 flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            act.mutate(
              morning.running ? { action: "morning_stop" } : { action: "morning_start", per_hour: Number(rate) || 60 },
            );
          }}
        >
          <Field
            label={o.perHour}
            type="number"
            min={1}
            max={3600}
            className="w-32"
            value={rate}
            onChange={(e) => {
              setRate(e.target.value);
            }}
          />
          <Button type="submit" look={morning.running ? "ending" : "ours"}>
            {morning.running ? o.stop : o.start}
          </Button>
          <span className="pb-1 text-sm text-quiet">{o.made(morning.made)}</span>
        </form>
      </section>
    </main>
  );
}
