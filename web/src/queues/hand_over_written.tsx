import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { api, ask, newKey, type Call } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { useNotes } from "../filing/notes_and_records";
import { queues as q } from "../texts/queues";
import { written } from "../texts/written";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Area, Select } from "../ui/field";
import { useTell } from "../ui/toast";

const t = written;

/** HandOverWritten hands a call over to a queue of written work, with its notes and a word. */
export function HandOverWritten({
  call,
  queue,
  onClose,
  afterwards,
}: {
  call: Call;
  queue?: string;
  onClose: () => void;
  afterwards?: () => void;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const all = useQuery(queries.queues).data ?? [];
  const [picked, setPicked] = useState(queue ?? "");
  const [word, setWord] = useState("");
  const key = useRef(newKey());
  const to = all.find((x) => x.id === picked) ?? all[0];
  const kept = useNotes(call);
  const notes = kept.notes.body.trim();
  const give = useMutation({
    mutationFn: async (queue_id: string) => {
      await kept.keeper.flush(); // what was typed last goes with it
      return ask(
        api.POST("/api/slips/{id}/written", {
          params: { path: { id: call.slip.id }, header: { "Idempotency-Key": key.current } },
          body: { queue_id, word },
        }),
      );
    },
    onSuccess: () => {
      tell(q.handedOn(to?.name ?? ""));
      refresh(client, keys.call(call.id), keys.history(), keys.thread(), keys.lane());
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title={t.title} {...(afterwards ? { afterwards } : {})}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (to && !give.isPending) give.mutate(to.id);
        }}
      >
        <p className="text-sm text-quiet">{t.hint}</p>
        <Select
          label={q.handOnTo}
          value={to?.id ?? ""}
          onChange={(e) => {
            setPicked(e.target.value);
            key.current = newKey();
          }}
        >
          {all.map((x) => (
            <option key={x.id} value={x.id}>
              {x.name}
            </option>
          ))}
        </Select>
        <Area
          label={t.word}
          rows={3}
          maxLength={2000}
          value={word}
          problem={give.error?.message}
          onChange={(e) => {
            setWord(e.target.value);
            key.current = newKey();
          }}
        />
        <p className="text-sm text-quiet">{notes ? t.withNotes : t.noNotes}</p>
        {notes && <p className="max-h-32 overflow-auto whitespace-pre-wrap">{notes}</p>}
        <Button
          look="ours"
          type="submit"
          className="self-end"
          disabled={!to || give.isPending || !(notes || word.trim())}
        >
          {t.give}
        </Button>
      </form>
    </Dialog>
  );
}
