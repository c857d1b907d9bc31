import { useState } from "react";

import type { Call } from "../api/client";
import { NewRecord } from "../book/new_record";
import type { Kind } from "../book/values";
import { t } from "../messages";
import { Menu, MenuItem } from "../ui/menu";
import { useAttach } from "./attach";
import { companyOf, personOf } from "./words";

const kinds: Kind[] = ["deal", "case", "quote", "visit"];

/** MakeBeside makes a deal, case, quote or visit during a call, with what is known filled in; the call stands on it from then on. */
export function MakeBeside({ call }: { call: Call }) {
  const [kind, setKind] = useState<Kind>();
  const { attach } = useAttach(call);
  const person = personOf(call);
  const company = companyOf(call);
  const deal = call.links.find((l) => l.record.kind === "deal")?.record;
  if (!person && !company) return null;
  const known = { ...(person ? { person } : {}), ...(company ? { company } : {}), ...(deal ? { deal } : {}) };
  return (
    <>
      <Menu
        trigger={
          <button
            type="button"
            className="min-h-6 rounded-sm border border-dashed border-edge px-1.5 text-sm text-quiet hover:text-ink"
          >
            {t.after.beside}
          </button>
        }
      >
        {kinds.map((k) => (
          <MenuItem
            key={k}
            onSelect={() => {
              setKind(k);
            }}
          >
            {t.book.make_.title(k)}
          </MenuItem>
        ))}
      </Menu>
      {kind && (
        <NewRecord
          kind={kind}
          stay
          prefill={{
            ...Object.fromEntries(Object.entries(known).map(([key, r]) => [key, r.id])),
            ...(kind !== "quote" && call.source ? { source: call.source } : {}),
          }}
          names={Object.fromEntries(Object.entries(known).map(([key, r]) => [key, r.name]))}
          onClose={() => {
            setKind(undefined);
          }}
          onMade={(made) => {
            attach.mutate(made.id);
          }}
        />
      )}
    </>
  );
}
