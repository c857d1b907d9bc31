import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, Failure, newKey } from "../api/client";
import { queries, serverNow } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Area, Field, Select } from "../ui/field";
import { fromInput, toInput } from "../ui/times";
import { useTell } from "../ui/toast";
import { whoOf } from "./words";

const w = t.in.written;

const tenMinutesAgo = () => toInput(new Date(serverNow() - 10 * 60_000).toISOString());

/** WriteDown writes a call down that was made elsewhere: when, with whom, how long, what came of it. */
export function WriteDown({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const outcomes = useQuery(queries.me).data?.outcomes ?? [];
  const [key] = useState(newKey);
  const [direction, setDirection] = useState<"outbound" | "inbound">("outbound");
  const [typed, setTyped] = useState("");
  const [when, setWhen] = useState(tenMinutesAgo);
  const [minutes, setMinutes] = useState("5");
  const [outcome, setOutcome] = useState("");
  const [notes, setNotes] = useState("");
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/calls/written-down", {
          params: { header: { "Idempotency-Key": key } },
          body: {
            direction,
            typed,
            started_at: fromInput(when),
            seconds: Math.round(Number(minutes || "0") * 60),
            ...(outcome ? { outcome_id: outcome } : {}),
            ...(notes.trim() ? { notes } : {}),
          },
        }),
      ),
    onSuccess: (call) => {
      refresh(client, keys.calls(), keys.history(), keys.lane());
      tell(w.done(whoOf(call)));
      onClose();
    },
  });
  const wrong = save.error instanceof Failure ? save.error.problem?.field : undefined;
  const problem = (field: string) => (wrong === field ? save.error?.message : undefined);
  const elsewhere = save.error && !["typed", "started_at", "seconds"].includes(wrong ?? "");
  return (
    <Dialog
      open
      onClose={onClose}
      title={w.title}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="write-down" disabled={!typed.trim() || !when || save.isPending}>
            {w.save}
          </Button>
        </>
      }
    >
      <form
        id="write-down"
        className="grid grid-cols-2 gap-x-3 gap-y-2.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (typed.trim() && when && !save.isPending) save.mutate();
        }}
      >
        <Field
          label={w.number}
          inputMode="tel"
          autoFocus
          maxLength={80}
          value={typed}
          problem={problem("typed")}
          onChange={(e) => {
            setTyped(e.target.value);
          }}
        />
        <Select
          label={w.direction}
          value={direction}
          onChange={(e) => {
            setDirection(e.target.value === "inbound" ? "inbound" : "outbound");
          }}
        >
          <option value="outbound">{w.outbound}</option>
          <option value="inbound">{w.inbound}</option>
        </Select>
        <Field
          label={w.when}
          type="datetime-local"
          value={when}
          problem={problem("started_at")}
          onChange={(e) => {
            setWhen(e.target.value);
          }}
        />
        <Field
          label={`${w.minutes} (${w.minutesHint})`}
          type="number"
          min={0}
          max={1440}
          step="any"
          value={minutes}
          problem={problem("seconds")}
          onChange={(e) => {
            setMinutes(e.target.value);
          }}
        />
        <Select
          label={w.outcome}
          className="col-span-2"
          value={outcome}
          onChange={(e) => {
            setOutcome(e.target.value);
          }}
        >
          <option value="">{w.noOutcome}</option>
          {outcomes.map((o) => (
            <option key={o.id} value={o.id}>
              {o.label}
            </option>
          ))}
        </Select>
        <Area
          label={w.notes}
          className="col-span-2"
          rows={4}
          value={notes}
          onChange={(e) => {
            setNotes(e.target.value);
          }}
        />
        {elsewhere && (
          <p role="alert" className="col-span-2 text-ending">
            {save.error?.message}
          </p>
        )}
      </form>
    </Dialog>
  );
}
