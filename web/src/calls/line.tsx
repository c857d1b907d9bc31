import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Call, type Schemas } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Menu, MenuItem, MenuLabel } from "../ui/menu";
import { useTell } from "../ui/toast";
import { measure, useSound } from "./sound";

const l = t.voice.line;
const every = 3_000; // ms between two ratings

/** rate measures the line and lets the server say what it is worth. */
async function rate(): Promise<Schemas["LineQuality"] | null> {
  const figures = await measure();
  return figures ? ask(api.POST("/api/sound/quality", { body: figures })) : null;
}

/** Line says on a slip that the line is bad, while it is, and takes a report of it. */
export function Line({ call }: { call: Call }) {
  const tell = useTell();
  const { status } = useSound();
  const speaking = call.state.phase === "speaking";
  const quality = useQuery({
    queryKey: keys.line(call.id),
    queryFn: rate,
    enabled: speaking && (status === "on" || status === "listening"),
    refetchInterval: every,
    retry: false,
  }).data;
  const report = useMutation({
    mutationFn: (trouble: Schemas["LineReport"]["trouble"]) =>
      ask(
        api.POST("/api/calls/{id}/line-reports", {
          params: { path: { id: call.id } },
          body: { trouble, ...(quality ? { figures: quality } : {}) },
        }),
      ),
    onSuccess: () => {
      tell(l.reported);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (!speaking || !quality) return null;
  const bad = quality.verdict === "bad";
  return (
    <Menu
      align="end"
      trigger={
        <button
          type="button"
          aria-label={bad ? `${l.bad}: ${quality.words}. ${l.report}` : l.report}
          title={bad ? quality.words : l.report}
          data-testid="line"
          data-verdict={quality.verdict}
          className={`min-h-6 rounded-sm px-1.5 text-sm ${bad ? "bg-waiting-soft font-semibold text-waiting" : "text-quiet hover:bg-rule"}`}
        >
          {bad ? l.bad : "…"}
        </button>
      }
    >
      <MenuLabel>{l.report}</MenuLabel>
      {(Object.keys(l.troubles) as (keyof typeof l.troubles)[]).map((x) => (
        <MenuItem
          key={x}
          onSelect={() => {
            report.mutate(x);
          }}
        >
          {l.troubles[x]}
        </MenuItem>
      ))}
    </Menu>
  );
}

const percent = (share: number) => (100 * share).toFixed(share > 0 && share < 0.01 ? 1 : 0);

/** LineTest measures the connection and says in words what is wrong with it; and lets oneself be heard. */
export function LineTest() {
  const { status } = useSound();
  const connected = status === "on" || status === "listening";
  const [echo, setEcho] = useState(false);
  const test = useMutation({
    // Sound has to come and go for there to be something to measure: one hears oneself meanwhile.
    mutationFn: async () => {
      await ask(api.POST("/api/sound/echo", { body: { on: true } }));
      await rate();
      await new Promise((done) => setTimeout(done, 5_000));
      const rated = await rate();
      await ask(api.POST("/api/sound/echo", { body: { on: false } }));
      return rated;
    },
  });
  const hear = useMutation({
    mutationFn: (on: boolean) => ask(api.POST("/api/sound/echo", { body: { on } })),
    onSuccess: (_, on) => {
      setEcho(on);
    },
  });
  const error = test.error ?? hear.error;
  const q = test.data;
  return (
    <div className="flex flex-col gap-2">
      <div className="flex items-center gap-3">
        <Button
          disabled={!connected || test.isPending || echo}
          onClick={() => {
            test.mutate();
          }}
        >
          {test.isPending ? l.testing : l.test}
        </Button>
        <Button
          disabled={!connected || test.isPending}
          aria-pressed={echo}
          onClick={() => {
            hear.mutate(!echo);
          }}
        >
          {echo ? l.echoOff : l.echo}
        </Button>
        {echo && <span className="text-quiet">{l.echoOn}</span>}
        {!connected && <span className="text-quiet">{l.notConnected}</span>}
      </div>
      {error && (
        <p role="alert" className="text-ending">
          {error.message}
        </p>
      )}
      {q && (
        <div role="status" data-testid="line-test" data-verdict={q.verdict}>
          <p className={q.verdict === "good" ? "text-theirs" : "font-semibold text-waiting"}>
            {l.verdict[q.verdict]} {q.words && `${q.words[0]?.toUpperCase() ?? ""}${q.words.slice(1)}.`}
          </p>
          <p className="text-sm text-quiet">
            {l.figures(
              q.mos.toFixed(1),
              percent(q.loss_up),
              percent(q.loss_down),
              Math.round(q.jitter_ms),
              Math.round(q.delay_ms),
            )}
          </p>
        </div>
      )}
    </div>
  );
}
