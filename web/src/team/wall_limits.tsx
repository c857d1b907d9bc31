import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Check, Field } from "../ui/field";

const w = insight.wall;
type Limits = Schemas["WallLimits"];
const numbers = ["talk_minutes", "hold_seconds", "wrap_minutes", "wait_seconds", "away_minutes"] as const;

/** WallLimits are one's own: from when something calls for attention. */
export function WallLimits({ limits }: { limits: Limits }) {
  const client = useQueryClient();
  const [draft, setDraft] = useState<Limits>();
  const save = useMutation({
    mutationFn: (body: Limits) => ask(api.PUT("/api/wall/limits", { body })),
    onSuccess: () => {
      setDraft(undefined);
      refresh(client, keys.wall());
    },
  });
  return (
    <>
      <Button
        onClick={() => {
          setDraft(limits);
        }}
      >
        {w.limits}
      </Button>
      {draft && (
        <Dialog
          open
          onClose={() => {
            setDraft(undefined);
          }}
          title={w.limitsTitle}
          actions={
            <Button look="ours" type="submit" form="wall-limits" disabled={save.isPending}>
              {w.save}
            </Button>
          }
        >
          <form
            id="wall-limits"
            className="flex flex-col gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              if (!save.isPending) save.mutate(draft);
            }}
          >
            <p className="text-quiet">{w.limitsHelp}</p>
            {numbers.map((key) => (
              <Field
                key={key}
                label={w.limit[key]}
                type="number"
                min={0}
                max={key.endsWith("seconds") ? 3600 : 600}
                className="w-56"
                value={String(draft[key])}
                onChange={(e) => {
                  setDraft({ ...draft, [key]: Math.max(0, Math.round(Number(e.target.value) || 0)) });
                }}
              />
            ))}
            <Check
              label={w.sound}
              checked={draft.sound}
              onChange={(sound) => {
                setDraft({ ...draft, sound });
              }}
            />
            {save.error && (
              <p role="alert" className="text-ending">
                {save.error.message}
              </p>
            )}
          </form>
        </Dialog>
      )}
    </>
  );
}
