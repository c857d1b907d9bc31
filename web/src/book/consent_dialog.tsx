import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { consent as s } from "../texts/privacy";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";

type What = Schemas["ConsentWhat"];

const whats: What[] = ["calls", "texts", "mails", "recordings"];

/** ConsentDialog is to what somebody agreed, with when and how, and notes more. */
export function ConsentDialog({ record, onClose }: { record: Schemas["Record"]; onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const all = useQuery(queries.consents(record.id)).data ?? [];
  const [what, setWhat] = useState<What>("texts");
  const [how, setHow] = useState("");
  const note = useMutation({
    mutationFn: (given: boolean) =>
      ask(api.POST("/api/records/{id}/consents", { params: { path: { id: record.id } }, body: { what, given, how } })),
    onSuccess: (now) => {
      client.setQueryData(keys.consents(record.id), now);
      setHow("");
      tell(s.noted);
    },
  });
  const acts = (
    <>
      {[true, false].map((given) => (
        <Button
          key={String(given)}
          disabled={note.isPending || !how.trim()}
          onClick={() => {
            note.mutate(given);
          }}
        >
          {given ? s.gives : s.withdraws}
        </Button>
      ))}
    </>
  );
  return (
    <Dialog open onClose={onClose} title={s.title(record.name)}>
      <p className="mb-2 text-sm text-quiet">{s.text}</p>
      <div className="grid grid-cols-[9rem_minmax(0,1fr)] gap-2">
        <Select
          label={s.label}
          value={what}
          onChange={(e) => {
            setWhat(e.target.value as What);
          }}
        >
          {whats.map((w) => (
            <option key={w} value={w}>
              {s.what[w]}
            </option>
          ))}
        </Select>
        <Field
          label={s.how}
          placeholder={s.howExample}
          maxLength={300}
          value={how}
          problem={note.error?.message}
          onChange={(e) => {
            setHow(e.target.value);
          }}
        />
      </div>
      <div className="mt-2 flex justify-end gap-2">{acts}</div>
      <ul className="mt-3" data-testid="consents">
        {all.length === 0 && <li className="text-quiet">{s.none}</li>}
        {all.map((c) => (
          <li key={c.id} className="border-b border-rule py-1">
            <span className="font-semibold">{s.line(s.what[c.what], c.given)}</span>
            <span className="block text-sm text-quiet">
              {s.by(c.how, c.noted_by, `${dayShort(c.at)} ${clockTime(c.at)}`)}
            </span>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
