import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { RefInput } from "../book/value_input";
import { NewPerson } from "../calls/new_person";
import { t } from "../texts";
import { written } from "../texts/written";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { useNow } from "../ui/clock";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { Writing } from "./composer";

type Message = Schemas["Message"];
const p = t.after.post;

/** Thread is what was written to and by somebody, newest first as in every history, theirs at the left and ours at the right, below a place to answer. */
export function Thread({ record, address }: { record?: string; address?: string }) {
  const thread = useQuery(queries.thread({ record, address }));
  const [channel, setChannel] = useState<Schemas["Channel"]>();
  if (thread.isPending) return <Loading />;
  if (!thread.data) return <Failed error={thread.error} retry={() => void thread.refetch()} />;
  const { messages, record: who, address: where, opted_out } = thread.data;
  const last = messages.at(-1);
  const answering = channel ?? last?.channel ?? "text";
  return (
    <section aria-label={p.thread} data-testid="thread">
      {opted_out && <p className="mb-2 rounded-sm bg-ending-soft px-3 py-1.5 text-ending">{opted_out}</p>}
      <div className="mt-3 mb-1 flex gap-1" role="radiogroup" aria-label={p.channel}>
        {(["text", "mail"] as const).map((c) => (
          <Button
            key={c}
            role="radio"
            aria-checked={c === answering}
            look={c === answering ? "ours" : "plain"}
            onClick={() => {
              setChannel(c);
            }}
          >
            {p.channels[c]}
          </Button>
        ))}
      </div>
      <Writing
        key={`${answering} ${where}`}
        channel={answering}
        to={{
          ...(who ? { record: who } : {}),
          ...(last?.channel === answering ? { address: where } : {}),
        }}
        rows={3}
        onSent={() => {
          setChannel(undefined);
        }}
      />
      {messages.length === 0 && <Empty>{p.none}</Empty>}
      <ol className="flex flex-col gap-2 py-3">
        {messages.toReversed().map((m) => (
          <Bubble key={m.id} message={m} />
        ))}
      </ol>
    </section>
  );
}

function Bubble({ message: m }: { message: Message }) {
  return (
    <li
      className={`max-w-[75%] rounded-md px-3 py-2 ${m.handed_by ? "self-center border border-rule-strong" : m.incoming ? "self-start bg-theirs-soft" : "self-end bg-ours-soft"} ${m.state === "cancelled" ? "opacity-60" : ""}`}
    >
      <p className="flex flex-wrap items-baseline gap-x-2 text-sm text-quiet">
        <span className={`font-semibold ${m.incoming && !m.handed_by ? "text-theirs" : "text-ours"}`}>
          {m.handed_by ? written.handed(m.handed_by) : m.incoming ? (m.record?.name ?? m.display) : m.by || p.bySelf}
        </span>
        <span>
          {dayShort(m.at)} {clockTime(m.at)}
        </span>
        <span>{m.channel === "mail" ? p.channels.mail : m.ours}</span>
      </p>
      {m.subject && <p className="font-semibold">{m.subject}</p>}
      <p className="break-words whitespace-pre-wrap">{m.body}</p>
      {m.files.length > 0 && (
        <ul className="mt-1 flex flex-wrap gap-x-3 text-sm">
          {m.files.map((f) => (
            <li key={f.id}>
              <a href={`/api/message-files/${f.id}`} download className="text-ours underline">
                {p.file(f.name, f.bytes)}
              </a>
            </li>
          ))}
        </ul>
      )}
      <MessageState message={m} />
    </li>
  );
}

/** MessageState says of one of ours whether it has gone out. */
export function MessageState({ message: m }: { message: Message }) {
  const now = useNow(10_000);
  if (m.incoming || m.state === "sent") return null;
  return (
    <Badge tone={m.state === "failed" ? "ending" : "waiting"}>
      {m.state === "waiting" && m.send_at && Date.parse(m.send_at) - now > 60_000
        ? p.held(`${dayShort(m.send_at)} ${clockTime(m.send_at)}`)
        : p.states[m.state]}
      {m.problem && `: ${m.problem}`}
    </Badge>
  );
}

/** MessageLine is one message in the history. */
export function MessageLine({ message: m }: { message: Message }) {
  return (
    <span className="flex min-w-0 items-start justify-between gap-3">
      <span className="min-w-0">
        <span className={m.incoming && !m.handed_by ? "font-semibold text-theirs" : "font-semibold text-ours"}>
          {m.handed_by
            ? written.handedLine(m.handed_by)
            : m.incoming
              ? p.theyWrote(m.channel)
              : p.weWrote(m.by || p.bySelf, m.channel)}
        </span>{" "}
        {m.subject && <span className="font-semibold">{m.subject}. </span>}
        <span className="line-clamp-2 whitespace-pre-wrap">{m.body}</span>
      </span>
      <MessageState message={m} />
    </span>
  );
}

/** ThreadPage is the messages of somebody who is not in the book, who can be put on a record. */
export function ThreadPage() {
  const { address = "" } = useSearch({ from: "/frame/messages" });
  const client = useQueryClient();
  const tell = useTell();
  const thread = useQuery(queries.thread({ address })).data;
  const first = thread?.messages.find((m) => m.incoming);
  const [making, setMaking] = useState(false);
  const taken = (changed: Schemas["Thread"]) => {
    refresh(client, keys.thread(), keys.history(), keys.lane());
    tell(p.attached(changed.record?.name ?? ""));
  };
  const attach = useMutation({
    mutationFn: (record_id: string) =>
      ask(api.POST("/api/messages/{id}/record", { params: { path: { id: first?.id ?? "" } }, body: { record_id } })),
    onSuccess: taken,
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <div className="max-w-3xl">
      <h1 className="name text-xl">{thread?.record?.name ?? thread?.display ?? address}</h1>
      {thread && !thread.record && first && (
        <div className="mt-2 flex flex-wrap items-end gap-3 rounded-sm bg-waiting-soft px-3 py-2">
          <span className="text-waiting">{p.unknown}</span>
          <RefInput
            label={p.whose}
            kinds={["contact", "lead", "company"]}
            value=""
            onChange={(r) => {
              if (r) attach.mutate(r.id);
            }}
          />
          <Button
            aria-expanded={making}
            onClick={() => {
              setMaking(!making);
            }}
          >
            {t.in.unknown.make}
          </Button>
        </div>
      )}
      {thread && !thread.record && first && making && (
        <NewPerson
          known={thread.display}
          company={null}
          make={async (body, key) => {
            const params = { path: { id: first.id }, header: { "Idempotency-Key": key } };
            taken(await ask(api.POST("/api/messages/{id}/new-record", { params, body })));
          }}
          putOn={(record) => {
            attach.mutate(record);
          }}
          onDone={() => {
            setMaking(false);
          }}
        />
      )}
      <Thread address={address} />
    </div>
  );
}
