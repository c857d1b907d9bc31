import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area, Field } from "../ui/field";
import { dayShort } from "../ui/times";
import { useTell } from "../ui/toast";

const s = t.book.settings;

/** DoNotCallSettings takes lists of numbers that must not be called, and lets everything be taken out. */
export function DoNotCallSettings() {
  const client = useQueryClient();
  const tell = useTell();
  const list = useQuery(queries.doNotCall).data;
  const [text, setText] = useState("");
  const [reason, setReason] = useState("");
  const add = useMutation({
    mutationFn: () => ask(api.POST("/api/do-not-call", { body: { text, reason } })),
    onSuccess: (done) => {
      // What was not understood stays, to be mended.
      setText(done.rejected.map((r) => r.cells[0]).join("\n"));
      refresh(client, keys.doNotCall(), keys.record(), keys.rows());
      tell(s.dncDone(done.added, done.known));
    },
  });
  const all = useMutation({
    mutationFn: () => ask(api.POST("/api/exports", { body: { format: "everything" } })),
    onSuccess: (e) => {
      location.assign(e.address);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_20rem] gap-8 max-[63.9rem]:grid-cols-1">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim() && !add.isPending) add.mutate();
        }}
      >
        <p className="mb-3">{s.dncIntro}</p>
        <Area
          label={s.dncText}
          rows={10}
          value={text}
          problem={add.error?.message}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <Field
          label={s.dncReason}
          className="mt-3"
          maxLength={300}
          value={reason}
          onChange={(e) => {
            setReason(e.target.value);
          }}
        />
        <Button look="ours" type="submit" className="mt-3" disabled={add.isPending || !text.trim()}>
          {s.dncAdd}
        </Button>
        {add.data && add.data.rejected.length > 0 && (
          <ul role="alert" className="mt-3 text-ending">
            {add.data.rejected.slice(0, 20).map((r) => (
              <li key={r.row}>
                {r.line}: {r.cells[0]}: {r.reason}
              </li>
            ))}
          </ul>
        )}
      </form>
      <div>
        <h2 className="border-b border-rule-strong pb-1 text-quiet">{list ? s.dncTotal(list.total) : ""}</h2>
        <ul data-testid="do-not-call">
          {list?.newest.map((n) => (
            <li key={n.display} className="border-b border-rule py-1">
              <span className="flex justify-between gap-2">
                <span className="font-semibold">{n.display}</span>
                <span className="text-sm text-quiet">{dayShort(n.at)}</span>
              </span>
              <span className="text-sm text-quiet">{n.reason}</span>
            </li>
          ))}
        </ul>
        <h2 className="mt-6 border-b border-rule-strong pb-1 text-quiet">{s.everything}</h2>
        <p className="py-2">{s.everythingText}</p>
        <Button
          disabled={all.isPending}
          onClick={() => {
            all.mutate();
          }}
        >
          {s.everything}
        </Button>
      </div>
    </div>
  );
}
