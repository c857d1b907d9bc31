import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Block } from "../ui/block";
import { Button } from "../ui/button";
import { Select } from "../ui/field";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { Enrolling } from "./enrolling";

const p = t.after.sequences;

/** Memberships are the sequences that somebody is in, what comes next, and the ways in and out. */
export function Memberships({ record }: { record: string }) {
  const client = useQueryClient();
  const tell = useTell();
  const asked = useQuery(queries.memberships(record));
  const memberships = asked.data ?? [];
  const all = useQuery(queries.sequences);
  const sequences = (all.data ?? []).filter((x) => x.active);
  const again = () => {
    for (const key of [["record", record], ["lane"], ["history", record]])
      void client.invalidateQueries({ queryKey: key });
  };
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const [chosen, setChosen] = useState("");
  const [offer, setOffer] = useState<string>();
  const end = useMutation({
    mutationFn: (replied: boolean) =>
      ask(
        api.DELETE("/api/records/{id}/sequences", {
          params: { path: { id: record }, query: replied ? { replied } : {} },
        }),
      ),
    onSuccess: () => {
      again();
      tell(p.out);
    },
    onError: failed,
  });
  const active = memberships.filter((m) => m.active);
  const last = memberships.find((m) => !m.active);
  if (asked.isPending || all.isPending) {
    return (
      <Block title={p.title}>
        <div className="mt-1 h-8" /> {/* what stands below must not move under a click */}
      </Block>
    );
  }
  if (sequences.length === 0 && memberships.length === 0) return null;
  return (
    <Block title={p.title}>
      <ul data-testid="memberships">
        {active.map((m) => (
          <li key={m.id} className="border-b border-rule py-1">
            <span className="block font-semibold">{m.name}</span>
            <span className="block text-sm text-quiet">
              {p.step(m.step, m.steps)}: {m.next}
              {m.next_at && ` ${dayShort(m.next_at)} ${clockTime(m.next_at)}`}
            </span>
          </li>
        ))}
        {active.length === 0 && last && (
          <li className="py-1 text-sm text-quiet">
            {last.name}: {last.why}
          </li>
        )}
      </ul>
      {active.length > 0 && (
        <div className="mt-1 flex gap-1">
          <Button
            onClick={() => {
              end.mutate(true);
            }}
          >
            {p.replied}
          </Button>
          <Button
            look="quiet"
            onClick={() => {
              end.mutate(false);
            }}
          >
            {p.takeOut}
          </Button>
        </div>
      )}
      {sequences.length > 0 && (
        <div className="mt-1 flex flex-wrap items-end gap-1">
          <Select
            label={p.enrol}
            hidden
            value={chosen}
            onChange={(e) => {
              setChosen(e.target.value);
            }}
          >
            <option value="">{p.enrol}</option>
            {sequences.map((x) => (
              <option key={x.id} value={x.id ?? ""}>
                {x.name}
              </option>
            ))}
          </Select>
          {chosen && (
            <Button
              onClick={() => {
                setOffer(chosen);
              }}
            >
              {p.look}
            </Button>
          )}
        </div>
      )}
      {offer && (
        <Enrolling
          whom={{ record_id: record }}
          sequence={offer}
          name={sequences.find((x) => x.id === offer)?.name ?? ""}
          onClose={() => {
            setOffer(undefined);
            setChosen("");
          }}
          again={again}
        />
      )}
    </Block>
  );
}
