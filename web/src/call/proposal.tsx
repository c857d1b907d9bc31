import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Call, newKey } from "../api/client";
import { t } from "../messages";
import { Button } from "../ui/button";
import { useTell } from "../ui/toast";
import { companyOf, personOf } from "./words";

const p = t.in.proposal;

/** Proposal offers the follow-up that the notes name ("call back thu 3pm"). Nothing is made of it before somebody takes it. */
export function Proposal({ call, notes }: { call: Call; notes: string }) {
  const client = useQueryClient();
  const tell = useTell();
  const [settled, setSettled] = useState("");
  const record = personOf(call) ?? companyOf(call);
  const found = useQuery({
    queryKey: ["proposal", record?.id, notes],
    queryFn: () =>
      ask(
        api.POST("/api/records/{id}/follow-up-proposal", {
          params: { path: { id: record?.id ?? "" } },
          body: { text: notes },
        }),
      ),
    enabled: record !== undefined && notes.trim() !== "",
    staleTime: Infinity,
    retry: false,
    placeholderData: (before) => before,
  }).data;
  const take = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id: record?.id ?? "" }, header: { "Idempotency-Key": newKey() } },
          body: {
            text: found?.text ?? "",
            kind: found?.kind ?? "task",
            day_only: found?.day_only ?? false,
            ...(found?.due_at ? { due_at: found.due_at } : {}),
          },
        }),
      ),
    onSuccess: () => {
      for (const key of ["lane", "record", "history"]) void client.invalidateQueries({ queryKey: [key] });
      setSettled(found?.text ?? "");
      tell(p.taken(found?.when ?? ""));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (!found?.found || notes.trim() === "" || found.text === settled) return null;
  return (
    <p data-testid="proposal" className="flex items-center gap-2 rounded-sm bg-ours-soft px-2 py-1 text-sm">
      <span className="min-w-0 truncate" title={found.text}>
        {found.text}
      </span>
      <span className="shrink-0 font-semibold">{found.when}</span>
      <span className="ml-auto flex shrink-0 gap-1">
        <Button
          disabled={take.isPending}
          onClick={() => {
            take.mutate();
          }}
        >
          {p.take}
        </Button>
        <Button
          look="quiet"
          aria-label={p.leaveLong}
          onClick={() => {
            setSettled(found.text);
          }}
        >
          {p.leave}
        </Button>
      </span>
    </p>
  );
}
