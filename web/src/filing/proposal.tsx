import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, type Call, newKey, type RecordRef, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { useTell } from "../ui/toast";
import { companyOf, personOf } from "../calls/words";

const p = t.in.proposal;

/**
 * Proposal offers what the notes name: a follow-up ("call back thu 3pm"), and numbers and mail addresses that are not theirs yet.
 * Nothing is made of it before somebody takes it.
 */
export function Proposal({ call, notes }: { call: Call; notes: string }) {
  const [settled, setSettled] = useState<string[]>([]); // taken, or not wanted
  const record = personOf(call) ?? companyOf(call);
  const found = useQuery({
    queryKey: keys.proposal(record?.id, notes),
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
  if (!record || !found || notes.trim() === "") return null;
  const settle = (what: string) => {
    setSettled((all) => [...all, what]);
  };
  return (
    <>
      {found.addresses
        .filter((x) => !settled.includes(x.display))
        .map((x) => (
          <NotedAddress key={x.display} address={x} record={record} settle={settle} />
        ))}
      {found.found && !settled.includes(found.text) && <FollowUp found={found} record={record} settle={settle} />}
    </>
  );
}

/** Offer is one line: what is offered, to take it, or not. */
function Offer({
  id,
  children,
  take,
  takes,
  busy,
  leave,
  leaves,
}: {
  id: string;
  children: ReactNode;
  take: string;
  takes: () => void;
  busy: boolean;
  leave: string;
  leaves: () => void;
}) {
  return (
    <p data-testid={id} className="flex items-center gap-2 rounded-sm bg-ours-soft px-2 py-1 text-sm">
      {children}
      <span className="ml-auto flex shrink-0 gap-1">
        <Button disabled={busy} onClick={takes}>
          {take}
        </Button>
        <Button look="quiet" aria-label={leave} onClick={leaves}>
          {p.leave}
        </Button>
      </span>
    </p>
  );
}

type Settle = (what: string) => void;

function FollowUp({
  found,
  record,
  settle,
}: {
  found: Schemas["FollowUpProposal"];
  record: RecordRef;
  settle: Settle;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const take = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id: record.id }, header: { "Idempotency-Key": newKey() } },
          body: {
            text: found.text,
            kind: found.kind,
            day_only: found.day_only,
            ...(found.due_at ? { due_at: found.due_at } : {}),
          },
        }),
      ),
    onSuccess: () => {
      refresh(client, keys.lane(), keys.record(), keys.history());
      settle(found.text);
      tell(p.taken(found.when));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Offer
      id="proposal"
      take={p.take}
      takes={() => {
        take.mutate();
      }}
      busy={take.isPending}
      leave={p.leaveLong}
      leaves={() => {
        settle(found.text);
      }}
    >
      <span className="min-w-0 truncate" title={found.text}>
        {found.text}
      </span>
      <span className="shrink-0 font-semibold">{found.when}</span>
    </Offer>
  );
}

function NotedAddress({
  address: x,
  record,
  settle,
}: {
  address: Schemas["NotedAddress"];
  record: RecordRef;
  settle: Settle;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const path = { id: record.id };
  const add = useMutation({
    mutationFn: async () => {
      if (x.number) {
        return ask(
          api.POST("/api/records/{id}/numbers", { params: { path }, body: { typed: x.number, label: x.label } }),
        );
      }
      const now = await client.fetchQuery({ ...queries.record(record.id), staleTime: 0 });
      const body = { version: now.version, values: { email: x.mail } };
      return ask(api.PATCH("/api/records/{id}", { params: { path }, body }));
    },
    onSuccess: (changed) => {
      client.setQueryData(keys.record(changed.id), changed);
      settle(x.display);
      tell(p.added(x.display, changed.name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Offer
      id="noted-address"
      take={p.addTo(record.name)}
      takes={() => {
        add.mutate();
      }}
      busy={add.isPending}
      leave={p.leaveAddress(x.display)}
      leaves={() => {
        settle(x.display);
      }}
    >
      <span className="min-w-0 truncate">
        {x.number && x.label} <span className="font-semibold">{x.display}</span>
      </span>
    </Offer>
  );
}
