import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, newKey } from "../api/client";
import { keys, refresh } from "../api/keys";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";
import type { Sought } from "./asked";

const f = insight.find;

/** MakeList makes a list of the people of the found calls: to be kept, or called in a round. */
export function MakeList({ sought }: { sought: Sought }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const [key, setKey] = useState(newKey);
  const make = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/figures/calls/list", {
          params: { header: { "Idempotency-Key": key } },
          body: { name, sought: { period: sought.period, where: sought.where ?? [] } },
        }),
      ),
    onSuccess: (list) => {
      setOpen(false);
      setKey(newKey());
      refresh(client, keys.lists());
      tell(f.listMade(list.name));
      void navigate({ to: "/lists/$id", params: { id: list.id } });
    },
  });
  return (
    <>
      <Button
        onClick={() => {
          setOpen(true);
        }}
      >
        {f.list}
      </Button>
      <Dialog
        open={open}
        onClose={() => {
          setOpen(false);
        }}
        title={f.list}
        actions={
          <Button look="ours" type="submit" form="make-list" disabled={!name.trim() || make.isPending}>
            {f.listSave}
          </Button>
        }
      >
        <form
          id="make-list"
          onSubmit={(e) => {
            e.preventDefault();
            if (name.trim() && !make.isPending) make.mutate();
          }}
        >
          <p className="mb-3 text-quiet">{f.listHelp}</p>
          <Field
            label={insight.report.name}
            autoFocus
            maxLength={80}
            value={name}
            problem={make.error?.message}
            onChange={(e) => {
              setName(e.target.value);
            }}
          />
        </form>
      </Dialog>
    </>
  );
}
