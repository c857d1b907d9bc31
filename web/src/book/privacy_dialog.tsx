import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, newKey, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { privacy as s } from "../texts/privacy";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";

type Person = Schemas["Record"];

/** PrivacyDialog is what the firm owes to somebody it keeps things about: a file of all, a hold, being erased. */
export function PrivacyDialog({ record, onClose }: { record: Person; onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} title={s.title(record.name)} actions={<Button onClick={onClose}>{s.close}</Button>}>
      <div className="flex flex-col gap-5">
        <section>
          <a
            href={`/api/records/${record.id}/everything.zip`}
            download
            className="inline-flex min-h-7 items-center rounded-sm border border-rule-strong bg-paper px-2.5 hover:border-edge"
          >
            {s.everything}
          </a>
          <p className="mt-1 text-sm text-quiet">{s.everythingText}</p>
        </section>
        <Hold record={record} />
        <Erase record={record} onDone={onClose} />
      </div>
    </Dialog>
  );
}

function Hold({ record }: { record: Person }) {
  const client = useQueryClient();
  const tell = useTell();
  const [reason, setReason] = useState("");
  const hold = useMutation({
    mutationFn: () =>
      ask(api.PUT("/api/records/{id}/legal-hold", { params: { path: { id: record.id } }, body: { reason } })),
    onSuccess: () => {
      tell(s.heldNow(record.name));
      setReason("");
      refresh(client, keys.privacy(), keys.erasure(record.id));
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        hold.mutate();
      }}
    >
      <h3 className="font-semibold">{s.hold}</h3>
      <p className="mb-1 text-sm text-quiet">{s.holdText}</p>
      <div className="flex items-end gap-2">
        <Field
          label={s.holdReason}
          className="flex-1"
          maxLength={500}
          value={reason}
          problem={hold.error?.message}
          onChange={(e) => {
            setReason(e.target.value);
          }}
        />
        <Button type="submit" disabled={hold.isPending || !reason.trim()}>
          {s.holdButton}
        </Button>
      </div>
    </form>
  );
}

function Erase({ record, onDone }: { record: Person; onDone: () => void }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [reason, setReason] = useState("");
  const [key] = useState(newKey);
  const [sure, setSure] = useState(false);
  const preview = useQuery(queries.erasurePreview(record.id));
  const p = preview.data;
  const erase = useMutation({
    mutationFn: async () => {
      let e = await ask(
        api.POST("/api/records/{id}/erasure", {
          params: { path: { id: record.id }, header: { "Idempotency-Key": key } },
          body: { reason },
        }),
      );
      while (e.state === "running") {
        await new Promise((next) => setTimeout(next, 300));
        e = await ask(api.GET("/api/erasures/{id}", { params: { path: { id: e.id } } }));
      }
      if (e.state === "failed") throw new Error(e.problem);
    },
    onSuccess: () => {
      tell(s.erased(record.name));
      client.removeQueries({ queryKey: keys.record(record.id) });
      refresh(client, keys.rows(), keys.lane(), keys.privacy(), keys.calls());
      onDone();
      void navigate({ to: "/people", search: {} });
    },
  });
  const against = p?.held ?? (p?.in_call ? s.inCall : undefined);
  return (
    <form
      data-testid="erase"
      onSubmit={(e) => {
        e.preventDefault();
        if (sure) erase.mutate();
        else setSure(true);
      }}
    >
      <h3 className="font-semibold">{s.erase}</h3>
      <p className="text-sm text-quiet">{s.eraseText}</p>
      {p && <p className="text-sm">{s.goes(p)}</p>}
      {p?.shared_name && <p className="text-sm text-quiet">{s.sharedName}</p>}
      {p && p.shared_numbers > 0 && <p className="text-sm text-quiet">{s.sharedNumbers}</p>}
      {against && <p className="text-waiting">{s.against(against)}</p>}
      <div className="mt-1 flex items-end gap-2">
        <Field
          label={s.eraseReason}
          className="flex-1"
          maxLength={500}
          value={reason}
          problem={erase.error?.message ?? preview.error?.message}
          onChange={(e) => {
            setReason(e.target.value);
            setSure(false);
          }}
        />
        <Button
          type="submit"
          look={sure ? "ending" : "plain"}
          disabled={erase.isPending || !p || against !== undefined || !reason.trim()}
        >
          {erase.isPending ? s.erasing : s.eraseButton}
        </Button>
      </div>
      {sure && !erase.isPending && (
        <p role="alert" className="mt-1 text-ending">
          {s.eraseSure(record.name)}
        </p>
      )}
    </form>
  );
}
