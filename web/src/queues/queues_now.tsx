import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { queues as q } from "../texts/queues";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { duration, useNow } from "../ui/clock";
import { Dialog } from "../ui/dialog";
import { Area, Check } from "../ui/field";
import { useTell } from "../ui/toast";
import { WaitLine } from "./waits";

type Queue = Schemas["QueueNow"];

/** QueuesNow are the queues as they are now, each with who waits in it, today's figures, and what who leads may do. */
export function QueuesNow() {
  const queues = useQuery(queries.queues).data ?? [];
  const waits = (useQuery(queries.waiting).data ?? []).filter((w) => w.queue);
  if (queues.length === 0) return null;
  return (
    <section aria-label={q.title} className="mb-5">
      <h2 className="name mb-1">{q.title}</h2>
      <ul data-testid="queues" className="grid grid-cols-[repeat(auto-fill,minmax(19rem,1fr))] gap-x-6">
        {queues.map((x) => (
          <li key={x.id} className="border-t border-rule-strong py-2">
            <QueueLine queue={x} />
            <ul>
              {waits
                .filter((w) => w.queue === x.name)
                .slice(0, 12)
                .map((w) => (
                  <WaitLine key={w.wait_id} wait={w} named={false} />
                ))}
            </ul>
          </li>
        ))}
      </ul>
    </section>
  );
}

function QueueLine({ queue: x }: { queue: Queue }) {
  const now = useNow(1000);
  const client = useQueryClient();
  const tell = useTell();
  const [saying, setSaying] = useState(false);
  const [naming, setNaming] = useState(false);
  const set = useMutation({
    mutationFn: (body: Schemas["QueueToday"]) =>
      ask(api.PUT("/api/queues/{id}/today", { params: { path: { id: x.id } }, body })),
    onSuccess: (all) => {
      client.setQueryData(keys.queues(), all);
      setSaying(false);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const tone = x.late === "late" ? "text-ending" : x.late === "soon late" ? "text-waiting" : "";
  return (
    <>
      <div className="flex items-baseline gap-2">
        <h3 className="name text-base">{x.name}</h3>
        {!x.open && <Badge tone="quiet">{x.closed_by_hand ? q.closedByHand : q.closed}</Badge>}
        <span className={`ml-auto font-semibold ${tone}`}>
          {x.waiting === 0 ? <span className="font-normal text-quiet">{q.nobody}</span> : q.waitingIn(x.waiting)}
          {x.oldest && ` · ${q.oldest(duration(Math.max(0, now - Date.parse(x.oldest))))}`}
          {x.late !== "in time" && ` · ${q.late[x.late] ?? ""}`}
        </span>
      </div>
      <p className="text-sm text-quiet">
        {q.there(x.free, x.there)}
        {x.callbacks > 0 && ` · ${q.callbacks(x.callbacks)}`}
        {x.messages > 0 && ` · ${q.messages(x.messages)}`}
      </p>
      <p className="text-sm text-quiet">
        {q.day(x.offered, x.answered, x.transferred, x.abandoned)}
        {x.offered - x.waiting - x.short > 0 && ` · ${q.level(Math.round(x.service_level * 100), x.target_seconds)}`}
        {x.estimate_error !== undefined && ` · ${q.estimates(Math.round(x.estimate_error * 100))}`}
      </p>
      {x.today && <p className="text-sm text-waiting">{q.saysToday(x.today)}</p>}
      {x.may_lead && (
        <p className="mt-1 flex flex-wrap gap-1.5">
          <Button
            className="!min-h-6 !py-0"
            aria-label={`${x.closed_by_hand ? q.open : q.close}: ${x.name}`}
            disabled={set.isPending}
            onClick={() => {
              set.mutate({ closed: !x.closed_by_hand, today: x.today });
            }}
          >
            {x.closed_by_hand ? q.open : q.close}
          </Button>
          <Button
            className="!min-h-6 !py-0"
            aria-label={`${q.say}: ${x.name}`}
            onClick={() => {
              setSaying(true);
            }}
          >
            {q.say}
          </Button>
          <Button
            className="!min-h-6 !py-0"
            aria-label={`${q.members}: ${x.name}`}
            onClick={() => {
              setNaming(true);
            }}
          >
            {q.members}
          </Button>
        </p>
      )}
      {naming && (
        <Members
          queue={x}
          onClose={() => {
            setNaming(false);
          }}
        />
      )}
      {saying && (
        <Saying
          queue={x}
          pending={set.isPending}
          onClose={() => {
            setSaying(false);
          }}
          onSay={(today) => {
            set.mutate({ closed: x.closed_by_hand, today });
          }}
        />
      )}
    </>
  );
}

/** Members lets who leads a queue say who answers it. */
function Members({ queue, onClose }: { queue: Queue; onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const team = useQuery(queries.team).data ?? [];
  const before = queue.members ?? [];
  const [chosen, setChosen] = useState(before);
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/queues/{id}/members", {
          params: { path: { id: queue.id } },
          body: { in: chosen.filter((m) => !before.includes(m)), out: before.filter((m) => !chosen.includes(m)) },
        }),
      ),
    onSuccess: (all) => {
      client.setQueryData(keys.queues(), all);
      tell(q.membersSaved(queue.name));
      onClose();
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={q.membersOf(queue.name)}
      actions={
        <Button
          look="ours"
          disabled={save.isPending}
          onClick={() => {
            save.mutate();
          }}
        >
          {q.membersSave}
        </Button>
      }
    >
      <ul className="max-h-[60vh] columns-2 gap-x-6 overflow-y-auto">
        {team.map((x) => (
          <li key={x.id} className="break-inside-avoid">
            <Check
              label={x.name}
              checked={chosen.includes(x.id)}
              onChange={(on) => {
                setChosen(on ? [...chosen, x.id] : chosen.filter((m) => m !== x.id));
              }}
            />
          </li>
        ))}
      </ul>
    </Dialog>
  );
}

function Saying({
  queue,
  pending,
  onClose,
  onSay,
}: {
  queue: Queue;
  pending: boolean;
  onClose: () => void;
  onSay: (text: string) => void;
}) {
  const [text, setText] = useState(queue.today);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`${q.saying}: ${queue.name}`}
      actions={
        <>
          {queue.today && (
            <Button
              disabled={pending}
              onClick={() => {
                onSay("");
              }}
            >
              {q.sayNothing}
            </Button>
          )}
          <Button look="ours" type="submit" form="say-today" disabled={!text.trim() || pending}>
            {q.sayIt}
          </Button>
        </>
      }
    >
      <form
        id="say-today"
        onSubmit={(e) => {
          e.preventDefault();
          if (text.trim() && !pending) onSay(text);
        }}
      >
        <Area
          label={q.saying}
          hidden
          autoFocus
          rows={3}
          maxLength={500}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <p className="mt-1 text-sm text-quiet">{q.sayHint}</p>
      </form>
    </Dialog>
  );
}
