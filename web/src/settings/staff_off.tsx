import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { ColleaguePick } from "../team/colleague_pick";
import { staff } from "../texts/staff";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import type { Member } from "./staff";

const s = staff.off;

/** OffDialog switches a colleague off, and asks who gets what they leave behind. */
export function OffDialog({ member, others, onClose }: { member: Member; others: Member[]; onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const has = useQuery(queries.belongings(member.id)).data;
  const [to, setTo] = useState("");
  const off = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/staff/{id}/off", { params: { path: { id: member.id } }, body: to ? { to } : {} })),
    onSuccess: (saved) => {
      tell(saved.leaving ? s.later(member.name) : s.done(member.name));
      refresh(client, keys.staff(), keys.team(), keys.rows(), keys.lane());
      onClose();
    },
    onError: () => {
      refresh(client, keys.belongings(member.id));
    },
  });
  const left = has
    ? [
        has.slips && s.slips(has.slips),
        has.follow_ups && s.followUps(has.follow_ups),
        has.records && s.records(has.records),
        has.rounds && s.rounds(has.rounds),
        has.notes && s.notes(has.notes),
      ].filter(Boolean)
    : [];
  return (
    <Dialog
      open
      onClose={onClose}
      title={s.title(member.name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button
            look="ending"
            disabled={off.isPending || !has || (left.length > 0 && !to)}
            onClick={() => {
              off.mutate();
            }}
          >
            {s.button}
          </Button>
        </>
      }
    >
      <p>{s.text}</p>
      {!has && <Loading />}
      {has?.in_call && <p className="mt-2 font-semibold">{s.inCall}</p>}
      {has && left.length === 0 && !has.in_call && <p className="mt-2">{s.nothing}</p>}
      {left.length > 0 && (
        <p className="mt-2">
          {s.has} <span className="font-semibold">{left.join(", ")}</span>
        </p>
      )}
      {(left.length > 0 || has?.in_call) && (
        <ColleaguePick
          label={s.to}
          className="mt-3 w-72"
          value={to}
          only={(c) => others.some((m) => m.id === c.id && m.id !== member.id)}
          first={(c) => c.team === member.team} // they know the customers best
          onChange={setTo}
        />
      )}
      {off.error && (
        <p role="alert" className="mt-2 text-ending">
          {off.error.message}
        </p>
      )}
    </Dialog>
  );
}
