import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { parties } from "../texts/parties";
import { Button } from "../ui/button";
import { useTell } from "../ui/toast";
import { useLiveTrace } from "./live_trace";
import { VoiceTrace } from "./trace";

const t = parties.listening;

/** useListening lets one listen to a conversation, whisper to its rep, step in, or leave it. */
export function useListening() {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation({
    mutationFn: ({ call, ...body }: { call: string } & Schemas["Listening"]) =>
      ask(api.PUT("/api/calls/{id}/listening", { params: { path: { id: call } }, body })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => void client.invalidateQueries({ queryKey: keys.desk() }),
  });
}

/** listenedTo is how many values of a conversation are in sight: twenty seconds. */
const listenedTo = 100;

/** ListeningBar says to whom one listens, and who hears one. */
export function ListeningBar() {
  const listening = useQuery(queries.desk).data?.listening;
  const listen = useListening();
  const whole = useLiveTrace(listening?.call_id ?? "");
  const trace = { ours: whole.ours.slice(-listenedTo), theirs: whole.theirs.slice(-listenedTo) };
  if (!listening) return null;
  const { call_id: call, colleague_id, to, how } = listening;
  const act = (how: Schemas["Listening"]["how"]) => () => {
    if (!listen.isPending) listen.mutate({ call, how, colleague_id });
  };
  const whispers = how === "whisper";
  return (
    <div
      data-testid="listening"
      className={`my-2 flex min-h-10 flex-wrap items-center gap-2 rounded-md px-3.5 py-1 ${whispers ? "bg-ours text-on-ours" : "bg-theirs-soft text-theirs"}`}
    >
      <span className="font-semibold">{whispers ? t.whispering(to, listening.with) : t.to(to, listening.with)}</span>
      <VoiceTrace trace={trace} width={listenedTo} className="ml-auto h-6 max-w-48" />
      <Button onClick={act(whispers ? "listen" : "whisper")}>{whispers ? t.onlyListen : t.whisper}</Button>
      <Button onClick={act("step_in")}>{t.stepIn}</Button>
      <Button onClick={act("stop")}>{t.stop}</Button>
    </div>
  );
}
