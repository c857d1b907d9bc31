import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { t } from "../texts";
import { staff } from "../texts/staff";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import type { Member } from "./staff";

const s = staff.link;

/** LinkDialog makes the link by which a colleague chooses a password, to be handed over or mailed. */
export function LinkDialog({ member, onClose }: { member: Member; onClose: () => void }) {
  const tell = useTell();
  const [link, setLink] = useState<Schemas["SignInLink"]>();
  const make = useMutation({
    mutationFn: (send: boolean) =>
      ask(api.POST("/api/staff/{id}/link", { params: { path: { id: member.id } }, body: { send } })),
    onSuccess: (made) => {
      if (!made.sent) {
        setLink(made);
        return;
      }
      tell(s.mailed(member.mail));
      onClose();
    },
  });
  const address = link ? new URL(link.address, location.origin).href : "";
  return (
    <Dialog
      open
      onClose={onClose}
      title={s.made(member.name)}
      actions={
        link ? (
          <Button onClick={onClose}>{t.close}</Button>
        ) : (
          <>
            <Button onClick={onClose}>{t.cancel}</Button>
            <Button
              look={member.mail ? "plain" : "ours"}
              disabled={make.isPending}
              onClick={() => {
                make.mutate(false);
              }}
            >
              {s.make}
            </Button>
            {member.mail && (
              <Button
                look="ours"
                disabled={make.isPending}
                onClick={() => {
                  make.mutate(true);
                }}
              >
                {s.mail(member.mail)}
              </Button>
            )}
          </>
        )
      }
    >
      {link ? (
        <>
          <p className="mb-2">{s.once(`${dayShort(link.expires_at)} ${clockTime(link.expires_at)}`)}</p>
          <p className="flex items-center gap-2 rounded-sm bg-ours-soft px-3 py-2">
            <code className="min-w-0 font-mono text-xs break-all" data-testid="sign-in-link">
              {address}
            </code>
            <Button
              onClick={() => {
                void navigator.clipboard.writeText(address).then(() => {
                  tell(s.copied);
                });
              }}
            >
              {s.copy}
            </Button>
          </p>
        </>
      ) : (
        <p>{s.ask(member.name)}</p>
      )}
      {make.error && (
        <p role="alert" className="mt-2 text-ending">
          {make.error.message}
        </p>
      )}
    </Dialog>
  );
}
