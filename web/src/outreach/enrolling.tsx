import { useMutation, useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";

const p = t.after.sequences;

/** Enrolling shows what a sequence will do, and when, and asks before anything of it begins; it can be undone afterwards. */
export function Enrolling({
  whom,
  sequence,
  name,
  onClose,
  again,
}: {
  whom: { record_id: string } | { list_id: string };
  sequence: string;
  name: string;
  onClose: () => void;
  again: () => void;
}) {
  const tell = useTell();
  const steps = useQuery(queries.sequencePreview(sequence, whom));
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const undo = useMutation({
    mutationFn: (at: string) =>
      ask(api.DELETE("/api/sequences/{id}/members", { params: { path: { id: sequence }, query: { at } } })),
    onSuccess: () => {
      again();
      tell(p.out);
    },
    onError: failed,
  });
  const enrol = useMutation({
    mutationFn: () => ask(api.POST("/api/sequences/{id}/members", { params: { path: { id: sequence } }, body: whom })),
    onSuccess: (result) => {
      again();
      onClose();
      if (result.enrolled > 0) {
        tell("list_id" in whom ? p.enrolledList(result.enrolled, result.skipped) : p.enrolled, {
          action: {
            label: t.after.outcomes.undo,
            run: () => {
              undo.mutate(result.at);
            },
          },
        });
      } else tell(p.already);
    },
    onError: failed,
  });
  const first = steps.data?.[0];
  return (
    <Dialog
      open
      onClose={onClose}
      title={p.question(name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button
            look="ours"
            disabled={enrol.isPending || !first || first.problem !== ""}
            onClick={() => {
              enrol.mutate();
            }}
          >
            {p.go}
          </Button>
        </>
      }
    >
      {steps.isPending && <p className="text-quiet">{t.loading}</p>}
      {steps.error && <p className="text-ending">{steps.error.message}</p>}
      <ol className="max-h-[50vh] overflow-y-auto">
        {steps.data?.map((s, i) => (
          <li key={i} className="border-b border-rule py-1.5">
            <span className="font-semibold">{p.acts[s.act]}</span>{" "}
            <span className="text-quiet">
              {dayShort(s.at)} {clockTime(s.at)}
            </span>
            {s.problem ? (
              <span className="block text-sm text-ending">{s.problem}</span>
            ) : (
              <span className="block text-sm">
                {s.subject && <span className="font-semibold">{s.subject}: </span>}
                <span className="line-clamp-3 whitespace-pre-line">{s.text}</span>
              </span>
            )}
          </li>
        ))}
      </ol>
    </Dialog>
  );
}
