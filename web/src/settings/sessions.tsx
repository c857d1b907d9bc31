import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { shortTime } from "../ui/times";
import { useTell } from "../ui/toast";

const s = t.book.settings.sessions;

/** Sessions are where one is signed in, and the way out of all of them. */
export function Sessions() {
  const sessions = useQuery(queries.sessions).data ?? [];
  const [sure, setSure] = useState(false);
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const out = useMutation({
    mutationFn: () => ask(api.DELETE("/api/sessions")),
    onSuccess: async () => {
      await navigate({ to: "/sign-in" });
      client.clear();
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const end = useMutation({
    mutationFn: (key: string) => ask(api.DELETE("/api/sessions/{key}", { params: { path: { key } } })),
    onSuccess: () => {
      tell(s.ended);
      refresh(client, keys.sessions());
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <section aria-label={s.title}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.title}</h2>
      <ul data-testid="sessions">
        {sessions.map((x) => (
          <li key={x.id} className="flex gap-3 border-b border-rule py-1">
            <span className="min-w-0 grow truncate" title={x.agent}>
              {x.current ? <span className="font-semibold">{s.here}</span> : x.agent}
            </span>
            <span className="text-quiet">{s.from(x.from)}</span>
            <span className="text-quiet">{s.seen(shortTime(x.seen_at))}</span>
            {!x.current && (
              <button
                type="button"
                className="min-h-6 text-ours underline underline-offset-3"
                disabled={end.isPending}
                onClick={() => {
                  end.mutate(x.id);
                }}
              >
                {s.end}
              </button>
            )}
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          setSure(true);
        }}
      >
        {s.out}
      </Button>
      <Dialog
        open={sure}
        onClose={() => {
          setSure(false);
        }}
        title={s.sure}
        actions={
          <>
            <Button
              onClick={() => {
                setSure(false);
              }}
            >
              {t.cancel}
            </Button>
            <Button
              look="ending"
              disabled={out.isPending}
              onClick={() => {
                out.mutate();
              }}
            >
              {s.out}
            </Button>
          </>
        }
      >
        <p>{s.sureText}</p>
      </Dialog>
    </section>
  );
}
