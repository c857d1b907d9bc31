import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, type Call, type RecordRef } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Chip } from "../ui/chip";
import { Field, PickSelect } from "../ui/field";
import { useTell } from "../ui/toast";
import { putCall, useChangeSlip } from "./change_slip";

/** Subject says in a few words what a call was about. It is saved when the field is left. */
export function Subject({ call, hidden = true }: { call: Call; hidden?: boolean }) {
  const change = useChangeSlip(call);
  const [text, setText] = useState<string>();
  return (
    <Field
      label={t.slip.subject}
      hidden={hidden}
      placeholder={hidden ? t.slip.subject : undefined}
      maxLength={200}
      aside={hidden}
      className="min-w-24 flex-1"
      value={text ?? call.slip.subject}
      onChange={(e) => {
        setText(e.target.value);
      }}
      onBlur={() => {
        if (text !== undefined && text !== call.slip.subject) {
          change.mutate(
            { subject: text },
            {
              onSettled: () => {
                setText(undefined);
              },
            },
          );
        } else {
          setText(undefined);
        }
      }}
    />
  );
}

/** CallType is the kind of call, from the firm's list. */
export function CallType({ call, hidden = true }: { call: Call; hidden?: boolean }) {
  const me = useQuery(queries.me).data;
  const change = useChangeSlip(call);
  return (
    <PickSelect
      label={t.slip.type}
      hidden={hidden}
      aside={hidden}
      className={hidden ? "w-28" : "w-36"}
      value={call.slip.call_type_id ?? ""}
      onPick={(type) => {
        change.mutate(type ? { call_type_id: type } : { clear: ["call_type_id"] });
      }}
    >
      <option value="">{t.slip.noType}</option>
      {me?.call_types.map((x) => (
        <option key={x.id} value={x.id}>
          {x.label}
        </option>
      ))}
    </PickSelect>
  );
}

/** NotesFor says who may read the notes. */
export function NotesFor({ call }: { call: Call }) {
  const change = useChangeSlip(call);
  return (
    <PickSelect
      label={t.after.visible.label}
      hidden
      aside
      className="w-28"
      value={call.slip.visible ?? "all"}
      onPick={(visible) => {
        change.mutate({ visible: visible as "all" | "team" | "me" });
      }}
    >
      {(["all", "team", "me"] as const).map((v) => (
        <option key={v} value={v}>
          {t.after.visible.options[v]}
        </option>
      ))}
    </PickSelect>
  );
}

/** LinkChip is a record that the call stands on, to be opened or taken away. */
export function LinkChip({ call, record, fixed = false }: { call: Call; record: RecordRef; fixed?: boolean }) {
  const client = useQueryClient();
  const tell = useTell();
  const detach = useMutation({
    mutationFn: () =>
      ask(api.DELETE("/api/calls/{id}/records/{record}", { params: { path: { id: call.id, record: record.id } } })),
    onSuccess: (changed) => {
      putCall(client, changed);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Chip
      short
      remove={
        fixed
          ? undefined
          : () => {
              detach.mutate();
            }
      }
      removeLabel={t.slip.detach(record.name)}
    >
      <Link
        to="/records/$id"
        params={{ id: record.id }}
        className="block truncate leading-6 hover:underline"
        title={record.name}
      >
        {record.name}
      </Link>
    </Chip>
  );
}
