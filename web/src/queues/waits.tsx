// Who waits in queues: beneath the lane for who is a member, on Team for who leads.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, newKey, type Call, type Schemas } from "../api/client";
import { layOnDesk } from "../api/call_states";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { focusSlip } from "../calls/focus";
import { holdKeys } from "../shell/keys";
import { queues as q } from "../texts/queues";
import { Button, IconButton } from "../ui/button";
import { duration, useNow } from "../ui/clock";
import { More } from "../ui/icons";
import { Menu, MenuItem } from "../ui/menu";
import { shortTime } from "../ui/times";
import { useTell } from "../ui/toast";

type Wait = Schemas["WaitingCall"];

/** useTakeWait takes who waits: a caller out of turn, or a callback, which calls them. */
function useTakeWait() {
  const client = useQueryClient();
  const tell = useTell();
  return useMutation<Call | undefined, Error, string, () => void>({
    mutationFn: (id) =>
      ask(
        api.POST("/api/queue-waits/{id}/take", { params: { path: { id }, header: { "Idempotency-Key": newKey() } } }),
      ),
    onMutate: holdKeys,
    onSuccess: (taken) => {
      if (taken) focusSlip(layOnDesk(client, taken).slip.id);
      else void client.invalidateQueries({ queryKey: keys.lane() }); // a message is in the reader's lane now
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: (_call, _error, _id, release) => {
      setTimeout(() => release?.());
      void client.invalidateQueries({ queryKey: keys.waiting() });
    },
  });
}

/** QueueWaits are those who wait in the reader's queues, callers first; at most `most`, and how many more. */
export function QueueWaits({ most = 4 }: { most?: number }) {
  const waits = (useQuery(queries.waiting).data ?? []).filter((w) => w.queue);
  if (waits.length === 0) return null;
  return (
    <section
      aria-label={q.inQueues}
      className="sticky -bottom-4 -mx-3.5 mt-6 -mb-4 border-t border-rule-strong bg-paper px-3.5 pt-2 pb-2"
    >
      <h2 className="mb-1 text-sm font-semibold text-quiet">{q.waiting}</h2>
      <ul data-testid="queue-waits">
        {waits.slice(0, most).map((w) => (
          <WaitLine key={w.wait_id} wait={w} />
        ))}
      </ul>
      {waits.length > most && <p className="py-1 text-sm text-quiet">{q.more(waits.length - most)}</p>}
    </section>
  );
}

/** WaitLine is one who waits: how long, for what, and what the reader may do; named says in which queue. */
export function WaitLine({ wait: w, named = true }: { wait: Wait; named?: boolean }) {
  const now = useNow(1000);
  const take = useTakeWait();
  const later = w.due && Date.parse(w.due) > now ? w.due : "";
  const late = w.late ? (q.late[w.late] ?? "") : "";
  const tone = w.late === "late" ? "text-ending" : w.late === "soon late" ? "text-waiting" : "";
  return (
    <li className={`border-b border-rule py-1.5 ${w.turn ? "bg-waiting-soft" : ""}`}>
      <div className="flex items-baseline justify-between gap-2">
        <span className="name truncate" title={`${w.name}, ${w.display}`}>
          {w.name}
        </span>
        <span className={`shrink-0 font-semibold ${tone}`}>
          {duration(Math.max(0, now - Date.parse(w.since)))}
          {late && <span className="text-sm font-normal"> {late}</span>}
        </span>
      </div>
      {w.left_seconds !== undefined && (
        <Link to="/calls/$id" params={{ id: w.call_id }} className="text-sm underline underline-offset-2">
          {q.left(duration(w.left_seconds * 1000))}
        </Link>
      )}
      {w.about && <p className="line-clamp-2 text-sm">“{w.about}”</p>}
      <div className="flex flex-wrap items-center gap-x-2 text-sm text-quiet">
        <span className="min-w-0 flex-1 truncate">
          {[
            w.callback ? (w.turn ? q.yourTurn : later ? q.callbackAt(shortTime(later)) : q.callback) : "",
            w.message !== undefined ? q.wrote(w.message) : "",
            named ? w.queue : "",
            w.line === w.queue ? "" : w.line,
            w.rings.length > 0 ? q.rings(w.rings.join(", ")) : "",
          ]
            .filter(Boolean)
            .join(" · ")}
        </span>
        {w.message !== undefined && <Read wait={w} />}
        {w.may_take && (
          <Button
            look={w.turn ? "ours" : "plain"}
            className="!min-h-6 !py-0 text-ink"
            aria-label={w.callback ? q.callBackOne(w.name) : q.takeOne(w.name)}
            disabled={take.isPending}
            onClick={() => {
              take.mutate(w.wait_id ?? "");
            }}
          >
            {w.callback ? q.callBack : q.take}
          </Button>
        )}
        {w.may_move && <MoveMenu wait={w} />}
      </div>
    </li>
  );
}

/** Read opens what somebody wrote: their thread. */
function Read({ wait: w }: { wait: Wait }) {
  const navigate = useNavigate();
  return (
    <Button
      look="quiet"
      className="!min-h-6 !py-0"
      aria-label={q.readOne(w.name)}
      onClick={() =>
        void (w.record_id
          ? navigate({ to: "/records/$id", params: { id: w.record_id }, search: { show: "message" } })
          : navigate({ to: "/messages", search: { address: w.address ?? "" } }))
      }
    >
      {q.read}
    </Button>
  );
}

function MoveMenu({ wait: w }: { wait: Wait }) {
  const client = useQueryClient();
  const tell = useTell();
  const [open, setOpen] = useState(false);
  const queues = useQuery({ ...queries.queues, enabled: open }).data ?? [];
  const done = {
    onError: (e: Error) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => {
      void client.invalidateQueries({ queryKey: keys.waiting() });
      void client.invalidateQueries({ queryKey: keys.queues() });
    },
  };
  const id = w.wait_id ?? "";
  const move = useMutation({
    mutationFn: (to: Schemas["QueueNow"]) =>
      ask(api.PATCH("/api/queue-waits/{id}", { params: { path: { id } }, body: { queue_id: to.id } })),
    onSuccess: (_, to) => {
      tell(q.moved(to.name));
    },
    ...done,
  });
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/queue-waits/{id}", { params: { path: { id } } })),
    onSuccess: () => {
      tell(q.removed);
    },
    ...done,
  });
  return (
    <Menu
      align="end"
      trigger={
        <IconButton
          label={q.move(w.name)}
          onPointerEnter={() => {
            setOpen(true);
          }}
          onFocus={() => {
            setOpen(true);
          }}
        >
          <More />
        </IconButton>
      }
    >
      {queues
        .filter((x) => x.name !== w.queue)
        .map((x) => (
          <MenuItem
            key={x.id}
            onSelect={() => {
              move.mutate(x);
            }}
          >
            {q.moveTo(x.name)}
          </MenuItem>
        ))}
      <MenuItem
        onSelect={() => {
          remove.mutate();
        }}
      >
        {w.callback ? q.giveUp : q.remove}
      </MenuItem>
    </Menu>
  );
}
