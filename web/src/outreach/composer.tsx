import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Area, Check, Field, Select } from "../ui/field";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { useUnsent } from "../ui/unsent";

type Channel = Schemas["Channel"];
const p = t.after.post;

/** To is whom a message goes to: a record, one of its numbers, or an address alone. */
export type To = {
  record?: { id: string; name: string } | undefined;
  number?: { id: string; display: string } | undefined;
  address?: string | undefined;
  slip?: string | undefined;
};

/** useSend sends a message; it says so, and lets it be cancelled while it waits. */
function useSend(onSent: () => void) {
  const client = useQueryClient();
  const tell = useTell();
  const again = () => {
    refresh(client, keys.thread(), keys.history(), keys.lane());
  };
  const cancel = useMutation({
    mutationFn: (id: string) => ask(api.POST("/api/messages/{id}/cancel", { params: { path: { id } } })),
    onSuccess: () => {
      again();
      tell(p.cancelled);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return useMutation({
    mutationFn: ({ body, key }: { body: Schemas["NewMessage"]; key: string }) =>
      ask(api.POST("/api/messages", { params: { header: { "Idempotency-Key": key } }, body })),
    onSuccess: (sent) => {
      again();
      onSent();
      const later = sent.send_at && Date.parse(sent.send_at) - Date.now() > 60_000 ? sent.send_at : undefined;
      tell(later ? p.waitsUntil(sent.display, `${dayShort(later)} ${clockTime(later)}`) : p.sending(sent.display), {
        action: {
          label: t.lane.undo,
          run: () => {
            cancel.mutate(sent.id);
          },
        },
      });
    },
  });
}

/** usePreview is a message as the server would send it, a moment after it was last changed. */
function usePreview(body: Schemas["NewMessage"]) {
  const [asked, setAsked] = useState(body);
  const text = JSON.stringify(body);
  useEffect(() => {
    const timer = setTimeout(() => {
      setAsked(JSON.parse(text) as Schemas["NewMessage"]);
    }, 250);
    return () => {
      clearTimeout(timer);
    };
  }, [text]);
  return useQuery({
    queryKey: keys.draft(asked),
    queryFn: () => ask(api.POST("/api/messages/draft", { body: asked })),
    retry: false,
    placeholderData: (before) => before,
  });
}

type File_ = Schemas["MessageFile"];
type Unsent = { subject: string; body: string; key: string; files: File_[] };
const nothing = (): Unsent => ({ subject: "", body: "", key: newKey(), files: [] });

/** bring keeps a file at the server, to go with a mail. */
async function bring(file: File): Promise<File_> {
  const answer = await fetch(`/api/message-files?name=${encodeURIComponent(file.name)}`, {
    method: "POST",
    body: file,
  });
  const got = (await answer.json()) as File_ & { detail?: string };
  if (!answer.ok) throw new Error(got.detail ?? t.failed.unknown);
  return got;
}

/** Writing is the part in which a message is written: template, subject, text, and what is in the way. */
export function Writing({
  to,
  channel,
  onSent,
  rows = 5,
}: {
  to: To;
  channel: Channel;
  onSent: () => void;
  rows?: number;
}) {
  const tell = useTell();
  const name = [channel, to.record?.id, to.number?.id, to.address].join(" ");
  const [text, setText] = useUnsent(name, nothing, (x) => !x.subject && !x.body && x.files.length === 0);
  const { subject, body, key, files } = text;
  const write = (change: Partial<Unsent>) => {
    setText({ ...text, ...change });
  };
  const [insist, setInsist] = useState(false);
  const templates = (useQuery(queries.templates).data ?? []).filter((x) => x.channel === channel && x.active);
  const message = {
    channel,
    body,
    ...(channel === "mail" ? { subject, ...(files.length > 0 ? { file_ids: files.map((f) => f.id) } : {}) } : {}),
    ...(to.record ? { record_id: to.record.id } : {}),
    ...(to.number ? { number_id: to.number.id } : {}),
    ...(to.address && to.address.includes("@") === (channel === "mail") ? { address: to.address } : {}),
    ...(to.slip ? { slip_id: to.slip } : {}),
    ...(insist ? { insist } : {}),
  };
  const draft = usePreview(message);
  const send = useSend(() => {
    setText(nothing());
    setInsist(false);
    onSent();
  });
  const fill = useMutation({
    mutationFn: (template_id: string) => ask(api.POST("/api/messages/draft", { body: { ...message, template_id } })),
    onSuccess: (filled) => {
      write({ subject: filled.subject, body: filled.body });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const input = useRef<HTMLInputElement>(null);
  const attach = useMutation({
    mutationFn: (picked: File[]) => Promise.all(picked.map(bring)),
    onSuccess: (brought) => {
      write({ files: [...files, ...brought] });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const problem = draft.error?.message ?? draft.data?.problem ?? "";
  const ready = body.trim() !== "" && (channel === "text" || subject.trim() !== "") && problem === "";
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (ready && !send.isPending) send.mutate({ body: message, key });
      }}
    >
      <p className="text-sm text-quiet" data-testid="draft">
        {draft.data && p.fromTo(draft.data.from, draft.data.to)}
      </p>
      {templates.length > 0 && (
        <Select
          label={p.template}
          hidden
          className="w-64"
          value=""
          onChange={(e) => {
            if (e.target.value) fill.mutate(e.target.value);
          }}
        >
          <option value="">{p.template}</option>
          {templates.map((x) => (
            <option key={x.id} value={x.id ?? ""}>
              {x.name}
            </option>
          ))}
        </Select>
      )}
      {channel === "mail" && (
        <Field
          label={p.subject}
          maxLength={200}
          value={subject}
          onChange={(e) => {
            write({ subject: e.target.value });
          }}
        />
      )}
      <Area
        label={channel === "mail" ? p.mailText : p.text}
        rows={channel === "mail" ? Math.max(rows, 8) : rows}
        maxLength={20_000}
        value={body}
        problem={problem || send.error?.message}
        onChange={(e) => {
          write({ body: e.target.value });
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) e.currentTarget.form?.requestSubmit();
        }}
      />
      {channel === "mail" && (
        <div className="flex flex-wrap items-center gap-1.5" data-testid="files">
          <input
            ref={input}
            type="file"
            multiple
            className="sr-only"
            tabIndex={-1}
            aria-label={p.attach}
            onChange={(e) => {
              const picked = [...(e.target.files ?? [])];
              e.target.value = "";
              if (picked.length > 0) attach.mutate(picked);
            }}
          />
          <Button disabled={attach.isPending} onClick={() => input.current?.click()}>
            {attach.isPending ? p.attaching : p.attach}
          </Button>
          {files.map((f) => (
            <Button
              key={f.id}
              title={p.takeFile(f.name)}
              aria-label={p.takeFile(f.name)}
              onClick={() => {
                write({ files: files.filter((x) => x.id !== f.id) });
              }}
            >
              {p.file(f.name, f.bytes)} <span aria-hidden="true">×</span>
            </Button>
          ))}
        </div>
      )}
      {(draft.data?.masked || insist) && (
        <div role="alert" className="flex items-center gap-3 rounded-sm bg-waiting-soft px-2 py-1 text-sm text-waiting">
          {t.after.card.inMessage}
          <Check label={t.after.card.sendIt} checked={insist} onChange={setInsist} />
        </div>
      )}
      <div className="flex items-center justify-between gap-3">
        <p className="text-sm text-quiet">
          {channel === "text" && draft.data && p.parts(draft.data.parts, draft.data.left)}
          {draft.data?.send_at && (
            <span className="text-waiting">
              {" "}
              {p.held(`${dayShort(draft.data.send_at)} ${clockTime(draft.data.send_at)}`)}
            </span>
          )}
        </p>
        {draft.data?.meeting && (
          <Button
            className="ml-auto"
            onClick={() => {
              write({ body: `${body.trimEnd()}${body.trim() ? "\n" : ""}${draft.data?.meeting ?? ""}` });
            }}
          >
            {p.meeting}
          </Button>
        )}
        <Button look="ours" type="submit" aria-disabled={!ready} className={ready ? "" : "opacity-55"}>
          {send.isPending ? p.sendingNow : p.send}
        </Button>
      </div>
    </form>
  );
}

/** Composer is the dialog in which a message is written to somebody. */
export function Composer({ to, channel: first, onClose }: { to: To; channel: Channel; onClose: () => void }) {
  const [channel, setChannel] = useState(first);
  return (
    <Dialog open onClose={onClose} title={p.to(to.record?.name ?? to.number?.display ?? to.address ?? "")}>
      <div role="radiogroup" aria-label={p.channel} className="mb-2 flex gap-1">
        {(["text", "mail"] as const).map((c) => (
          <Button
            key={c}
            role="radio"
            aria-checked={c === channel}
            look={c === channel ? "ours" : "plain"}
            onClick={() => {
              setChannel(c);
            }}
          >
            {p.channels[c]}
          </Button>
        ))}
      </div>
      <Writing key={channel} to={to} channel={channel} onSent={onClose} />
    </Dialog>
  );
}
