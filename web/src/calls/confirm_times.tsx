import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Call } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";
import { putCall } from "../filing/change_slip";

const c = t.in.program;

/** secondsOf reads "1:23" or "83". */
export function secondsOf(text: string): number | undefined {
  const m = /^(?:(\d{1,3}):)?(\d{1,4})$/.exec(text.trim());
  return m ? 60 * Number(m[1] ?? 0) + Number(m[2]) : undefined;
}

/** ConfirmTimes asks how long one talked in a call that this computer's calling program made: nobody else can know. */
export function ConfirmTimes({ call }: { call: Call }) {
  const client = useQueryClient();
  const tell = useTell();
  const now = useNow(1000);
  const [typed, setTyped] = useState<string>();
  const since = duration(Math.max(0, now - Date.parse(call.state.started_at)));
  const seconds = secondsOf(typed ?? since);
  const confirm = useMutation({
    mutationFn: (talked: number) =>
      ask(api.PUT("/api/calls/{id}/times", { params: { path: { id: call.id } }, body: { seconds: talked } })),
    onSuccess: (changed) => {
      putCall(client, changed);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <form
      aria-label={c.ask}
      data-testid="confirm-times"
      className="flex w-full flex-wrap items-end gap-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (seconds !== undefined && !confirm.isPending) confirm.mutate(seconds);
      }}
    >
      <Field
        label={c.ask}
        className="w-32"
        value={typed ?? since}
        onChange={(e) => {
          setTyped(e.target.value);
        }}
      />
      <Button look="ours" type="submit" disabled={seconds === undefined || confirm.isPending}>
        {c.talked}
      </Button>
      <Button
        disabled={confirm.isPending}
        onClick={() => {
          confirm.mutate(0);
        }}
      >
        {c.noAnswer}
      </Button>
    </form>
  );
}
