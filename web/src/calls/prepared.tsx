import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ask, type Call, Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { putCall } from "../filing/change_slip";
import { t } from "../texts";
import { useRoundOf, useSettle } from "../rounds/round";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { More } from "../ui/icons";
import { Menu, MenuItem } from "../ui/menu";
import { useTell } from "../ui/toast";

type Message = Schemas["PreparedMessage"];

/** askedFor is for how long a question waits for its second press, in milliseconds. */
const askedFor = 8_000;

/** LeavePrepared leaves a prepared message on a voicemail: the rep is free at once, and it is said after the beep. */
export function LeavePrepared({ call }: { call: Call }) {
  const client = useQueryClient();
  const tell = useTell();
  const { hint, letter } = useKeys();
  const messages = useQuery(queries.preparedFor(call.id)).data ?? [];
  // A message that would be left on a living person waits for a second press.
  const [asked, setAsked] = useState<Message>();
  useEffect(() => {
    if (!asked) return;
    const timer = setTimeout(() => {
      setAsked(undefined);
    }, askedFor);
    return () => {
      clearTimeout(timer);
    };
  }, [asked]);
  const heard = (e: Error, m: Message) => {
    if (e instanceof Failure && e.code === "person_heard") setAsked(m);
    else tell(e.message, { bad: true });
  };
  const leave = useMutation({
    mutationFn: (m: Message) =>
      ask(
        api.POST("/api/calls/{id}/prepared", {
          params: { path: { id: call.id } },
          body: { message_id: m.id ?? "", to_person: m === asked },
        }),
      ),
    onSuccess: (changed, m) => {
      putCall(client, changed);
      tell(t.voice.prepared.leaving(m.name));
    },
    onError: heard,
  });
  const round = useRoundOf(call);
  const settle = useSettle(call);
  // A round has its own message first; once it is being left, the next person is called.
  const its = messages.find((m) => round && m.id === round.settings.message_id);
  const [first, ...others] = its ? [its, ...messages.filter((m) => m !== its)] : messages;
  const leaveIt = (m: Message) => {
    if (call.round_id)
      settle.run({ leave: true, message: m.id ?? "", toPerson: m === asked }, (e) => {
        heard(e, m);
      });
    else if (!leave.isPending) leave.mutate(m);
  };
  const go = () => {
    if (first) leaveIt(asked ?? first);
  };
  useKey("leave", first ? go : undefined);
  if (!first) return null;
  return (
    <span className={`flex max-w-full min-w-0 gap-1 ${asked ? "flex-wrap" : ""}`}>
      {asked && (
        <span role="alert" className="w-full text-sm font-semibold text-waiting">
          {t.voice.prepared.personHeard}
        </span>
      )}
      <Button
        onClick={go}
        disabled={leave.isPending}
        hint={letter("leave")}
        aria-keyshortcuts={hint("leave")}
        className="max-w-44 min-w-0"
        title={first.text}
      >
        <span className="truncate">
          {asked
            ? t.voice.prepared.leaveAnyway(asked.name)
            : call.round_id
              ? t.voice.prepared.leaveAndGoOn(first.name)
              : t.voice.prepared.leave(first.name)}
        </span>
      </Button>
      {others.length > 0 && (
        <Menu
          trigger={
            <button
              type="button"
              aria-label={t.voice.prepared.others}
              className="flex min-h-7 w-6 shrink-0 items-center justify-center rounded-sm hover:bg-rule/60"
            >
              <More />
            </button>
          }
        >
          {others.map((m) => (
            <MenuItem
              key={m.id}
              onSelect={() => {
                leaveIt(m);
              }}
            >
              {m.name}
            </MenuItem>
          ))}
        </Menu>
      )}
    </span>
  );
}
