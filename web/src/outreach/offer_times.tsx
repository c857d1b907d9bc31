import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, newKey } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { offerTimes as w } from "../texts/offer_times";
import { Button } from "../ui/button";
import { clockTime, dayBrief } from "../ui/times";
import { useTell } from "../ui/toast";

const when = (iso: string) => `${dayBrief(iso)}, ${clockTime(iso)}`;

/** OfferTimes sends times for a call from which the person chooses by answering: what is sent is shown before. */
export function OfferTimes({ followUp, onSent }: { followUp: string; onSent: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const [open, setOpen] = useState(false);
  const [key] = useState(newKey);
  const offer = useQuery({ ...queries.timeOffer(followUp), enabled: open });
  const send = useMutation({
    mutationFn: (times: string[]) =>
      ask(
        api.POST("/api/follow-ups/{id}/offer", {
          params: { path: { id: followUp }, header: { "Idempotency-Key": key } },
          body: { times },
        }),
      ),
    onSuccess: () => {
      tell(w.sent);
      refresh(client, keys.timeOffer(), keys.thread(), keys.history());
      onSent();
    },
  });
  if (!open) {
    return (
      <Button
        onClick={() => {
          setOpen(true);
        }}
      >
        {w.open}
      </Button>
    );
  }
  const o = offer.data;
  const wrong = offer.error?.message ?? send.error?.message ?? (o?.problem || undefined);
  return (
    <section aria-label={w.open} className="rounded-sm bg-ours-soft px-3 py-2" data-testid="offer-times">
      {o?.offered_at && (
        <p className="mb-1 text-sm">{o.chosen ? w.chosen(when(o.chosen)) : w.offered(when(o.offered_at))}</p>
      )}
      {o && !wrong && (
        <>
          <p className="text-sm text-quiet">{w.to(o.to)}</p>
          <p className="my-1">{o.text}</p>
          <Button
            look="ours"
            disabled={send.isPending}
            onClick={() => {
              send.mutate(o.times);
            }}
          >
            {w.send}
          </Button>
        </>
      )}
      {wrong && (
        <p role="alert" className="text-sm text-ending">
          {wrong}
        </p>
      )}
    </section>
  );
}
