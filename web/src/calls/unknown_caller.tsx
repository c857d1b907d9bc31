import { useQueryClient } from "@tanstack/react-query";

import { api, ask, type Call, type RecordRef } from "../api/client";
import { t } from "../texts";
import { useAttach } from "./attach";
import { putCall } from "../filing/change_slip";
import { NewPerson } from "./new_person";

/** UnknownCaller makes whoever is on the line a record; number and source come from the call. */
export function UnknownCaller({
  call,
  company,
  onDone,
}: {
  call: Call;
  company: RecordRef | null;
  onDone: () => void;
}) {
  const client = useQueryClient();
  const { attach } = useAttach(call);
  const number = call.withheld ? t.ring.withheld : call.display;
  return (
    <NewPerson
      known={t.in.unknown.prefilled(number, call.direction === "inbound" ? call.source : "")}
      company={company}
      make={async (body, key) => {
        const params = { path: { id: call.id }, header: { "Idempotency-Key": key } };
        putCall(client, await ask(api.POST("/api/calls/{id}/new-record", { params, body })));
      }}
      putOn={(record) => {
        attach.mutate(record);
      }}
      onDone={onDone}
    />
  );
}
