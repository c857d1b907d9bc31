import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";

import { keys, refresh } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Failed } from "../ui/states";
import { dayShort } from "../ui/times";
import { useTell } from "../ui/toast";

type Record = Schemas["Record"];

/** RemoveDialog says what hangs on a record before it is deleted. */
export function RemoveDialog({
  record,
  busy,
  remove,
  onClose,
}: {
  record: Record;
  busy: boolean;
  remove: () => void;
  onClose: () => void;
}) {
  const hanging = useQuery(queries.hanging(record.id));
  const h = hanging.data;
  return (
    <Dialog
      open
      onClose={onClose}
      title={t.book.removeTitle(record.name)}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ending" disabled={busy || !h} onClick={remove}>
            {t.book.remove}
          </Button>
        </>
      }
    >
      {hanging.error && <p className="text-ending">{hanging.error.message}</p>}
      {h && (
        <>
          <p data-testid="hanging">{t.book.hanging(h)}</p>
          <p className="mt-2 text-quiet">{t.book.removeText(h.restorable_days)}</p>
        </>
      )}
    </Dialog>
  );
}

/** useRestore brings a deleted record back. */
export function useRestore(id: string) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  return useMutation({
    mutationFn: () => ask(api.POST("/api/records/{id}/restore", { params: { path: { id } } })),
    onSuccess: (back) => {
      client.setQueryData(keys.record(id), back);
      refresh(client, keys.rows(), keys.history(), keys.lane());
      tell(t.book.restored(back.name));
      void navigate({ to: "/records/$id", params: { id } });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
}

/** Deleted is the page of a record that was deleted: who may brings it back from there, for as long as that can be. */
export function Deleted({ id, error, retry }: { id: string; error: Error | null; retry: () => void }) {
  const restore = useRestore(id);
  const gone = useQuery({ ...queries.hanging(id), retry: false }).data;
  if (!gone?.restorable_until) return <Failed error={error} retry={retry} title={t.record.gone} />;
  return (
    <div role="status" className="flex flex-col items-start gap-2">
      <h1 className="name text-xl">{gone.name}</h1>
      <p className="rounded-sm bg-waiting-soft px-3 py-1.5 text-waiting">
        {t.book.deleted(dayShort(gone.restorable_until))} {t.book.hanging(gone)}
      </p>
      <Button
        look="ours"
        disabled={restore.isPending}
        onClick={() => {
          restore.mutate();
        }}
      >
        {t.book.bringBack}
      </Button>
    </div>
  );
}
