import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../messages";
import { Button } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

const o = t.outside;

/** OutsidePhone is the other side of the simulated network, in a window of its own. */
export function OutsidePhone() {
  const outside = useQuery(queries.outside);
  const client = useQueryClient();
  const tell = useTell();
  const [from, setFrom] = useState("413 555 0142");
  const [to, setTo] = useState("");
  const [played, setPlayed] = useState("");
  const act = useMutation({
    mutationFn: (body: Schemas["OutsideAct"]) => ask(api.POST("/api/outside", { body })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSuccess: (now) => {
      client.setQueryData(["outside"], now);
    },
  });
  if (outside.isPending) return <Loading />;
  if (!outside.data) return <Failed error={outside.error} title={o.gone} />;
  const { lines, legs } = outside.data;
  const line = to || (lines[0]?.e164 ?? "");
  return (
    <main className="mx-auto max-w-md p-5">
      <h1 className="name text-xl">{o.title}</h1>
      <p className="mt-1 text-sm text-quiet">{o.intro}</p>
      <form
        className="mt-4 flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          act.mutate({ action: "call", from, to: line });
        }}
      >
        <Field
          label={`${o.from} (${o.fromHint})`}
          value={from}
          onChange={(e) => {
            setFrom(e.target.value);
          }}
        />
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
                {l.from_us ? o.outgoing(l.to) : o.incoming(l.to)} · {l.answered ? o.answered : o.ringing}
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
    </main>
  );
}
