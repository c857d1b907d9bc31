import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Call, type Schemas } from "../api/client";
import { putCall } from "./change_slip";
import { t } from "../texts";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { useTell } from "../ui/toast";
import { Line } from "../calls/line";
import { useLiveTrace } from "../calls/live_trace";
import { VoiceTrace } from "../calls/trace";

const shown = 120; // values: 24 s

/** SlipVoice is the voice trace of the call on the slip, and whether it is being recorded. Its place is kept from the first ring, so that nothing moves at the answer. */
export function SlipVoice({ call }: { call: Call }) {
  const live = useLiveTrace(call.id);
  if (call.direction === "internal") return null;
  const kept = call.recording?.state === "kept" ? call.recording.trace : undefined;
  const over = call.state.phase === "ended";
  const last = { ours: live.ours.slice(-shown), theirs: live.theirs.slice(-shown) };
  return (
    <div className="flex min-h-8 items-center gap-3">
      {over && kept ? (
        <VoiceTrace trace={kept} className="h-8 flex-1" />
      ) : (
        <VoiceTrace trace={last} width={shown} className="h-8 flex-1" />
      )}
      <Recording call={call} />
      <Line call={call} />
    </div>
  );
}

/** Recording says whether the call is being recorded, and pauses or begins that. */
function Recording({ call }: { call: Call }) {
  const tell = useTell();
  const client = useQueryClient();
  const { hint } = useKeys();
  const live = call.state.phase === "speaking";
  const state = call.recording?.state;
  const act = useMutation({
    mutationFn: (action: Schemas["RecordingAct"]["action"]) =>
      ask(
        api.POST("/api/calls/{id}/recording", {
          params: { path: { id: call.id } },
          body: { action, ...(action === "pause" ? { reason: t.voice.pausedBy } : {}) },
        }),
      ),
    onSuccess: (changed) => {
      putCall(client, changed);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const next = state === "going" ? "pause" : state === "paused" ? "resume" : "start";
  const turn = () => {
    if (live && !act.isPending) act.mutate(next);
  };
  useKey("record", live ? turn : undefined);
  if (!live) return null;
  const now = state === undefined || state === "kept" || state === "deleted" ? "none" : state;
  const why = call.recording?.why;
  return (
    <span className="flex items-center gap-2 text-sm" data-testid="recording" data-state={now}>
      <span
        className={`flex items-center gap-1.5 ${now === "paused" || now === "asking" ? "font-semibold text-waiting" : "text-quiet"}`}
        title={why}
      >
        <span
          aria-hidden
          className={`size-2.5 rounded-full ${now === "going" ? "bg-ours" : now === "paused" || now === "asking" ? "border-2 border-waiting" : "border-2 border-edge"}`}
        />
        {t.voice.recording[now]}
        {why && now !== "going" && <span className="font-normal text-quiet">({why})</span>}
      </span>
      <Button onClick={turn} disabled={act.isPending} hint={hint("record")} aria-keyshortcuts={hint("record")}>
        {t.voice.recording[now === "asking" ? "agree" : next]}
      </Button>
      {now === "asking" && (
        <Button
          disabled={act.isPending}
          onClick={() => {
            act.mutate("refuse");
          }}
        >
          {t.voice.recording.refuse}
        </Button>
      )}
    </span>
  );
}
