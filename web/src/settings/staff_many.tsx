import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, newKey, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { many as s, staff } from "../texts/staff";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Area, Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";

type NewMembers = Schemas["NewMembers"];

/** ManyDialog adds many colleagues from a pasted list or a file, each with a link of their own. */
export function ManyDialog({ teams, onClose }: { teams: string[]; onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const me = useQuery(queries.me).data;
  const roles = useQuery(queries.roles).data?.roles ?? [];
  const [key, setKey] = useState(newKey);
  const [draft, setDraft] = useState<Omit<NewMembers, "zone">>({ text: "", role: "rep", team: "", link: "show" });
  const [links, setLinks] = useState<Schemas["AddedMember"][]>([]);
  const set = (change: Partial<NewMembers>) => {
    setDraft((d) => ({ ...d, ...change }));
  };
  const add = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/staff/many", {
          params: { header: { "Idempotency-Key": key } },
          body: { ...draft, zone: me?.zone ?? "" },
        }),
      ),
    onSuccess: (done) => {
      setKey(newKey());
      refresh(client, keys.staff(), keys.team(), keys.firstSteps());
      setLinks((l) => [...l, ...done.added]);
      set({ text: done.rejected.map((r) => r.text).join("\n") });
      if (done.added.length > 0) tell(s.added(done.added.length));
    },
  });
  const rejected = add.data?.rejected ?? [];
  return (
    <Dialog open onClose={onClose} title={s.title}>
      <form
        data-testid="many-form"
        onSubmit={(e) => {
          e.preventDefault();
          if (draft.text.trim() && !add.isPending) add.mutate();
        }}
      >
        <p className="mb-2 text-sm text-quiet">{s.help}</p>
        <Area
          label={s.text}
          rows={6}
          placeholder={s.example}
          value={draft.text}
          problem={add.error?.message}
          onChange={(e) => {
            set({ text: e.target.value });
          }}
        />
        <label className="mt-1 inline-flex min-h-7 cursor-pointer items-center text-sm text-ours underline underline-offset-3 focus-within:outline-2">
          {s.file}
          <input
            type="file"
            accept=".csv,.txt,text/csv,text/plain"
            className="sr-only"
            onChange={(e) => {
              void e.target.files?.[0]?.text().then((text) => {
                set({ text });
              });
            }}
          />
        </label>
        {rejected.length > 0 && (
          <div role="alert" className="my-2 text-sm text-ending">
            <p>{s.rejected}</p>
            <ul>
              {rejected.slice(0, 20).map((r) => (
                <li key={r.line}>{s.line(r.line, r.reason)}</li>
              ))}
            </ul>
          </div>
        )}
        <div className="mt-2 grid grid-cols-3 gap-3">
          <Select
            label={staff.role}
            value={draft.role}
            onChange={(e) => {
              set({ role: e.target.value });
            }}
          >
            {roles.map((r) => (
              <option key={r.key} value={r.key}>
                {r.name}
              </option>
            ))}
          </Select>
          <Field
            label={staff.team}
            maxLength={100}
            list="many-teams"
            value={draft.team}
            onChange={(e) => {
              set({ team: e.target.value });
            }}
          />
          <datalist id="many-teams">
            {teams.map((x) => (
              <option key={x} value={x} />
            ))}
          </datalist>
          <Select
            label={s.link}
            value={draft.link}
            onChange={(e) => {
              set({ link: e.target.value as NewMembers["link"] });
            }}
          >
            {(["show", "mail", "none"] as const).map((l) => (
              <option key={l} value={l}>
                {s.links[l]}
              </option>
            ))}
          </Select>
        </div>
        {links.length > 0 && (
          <ul className="mt-3 max-h-48 overflow-auto" data-testid="many-added">
            {links.map((x) => (
              <li key={x.member.id} className="border-b border-rule py-1">
                <span className="font-semibold">{x.member.name}</span>{" "}
                <span className="text-sm text-quiet">
                  {x.member.login} {x.link?.sent ? s.mailed : x.problem}
                </span>
                {x.link && !x.link.sent && (
                  <code className="block font-mono text-xs break-all select-all" title={s.linkOf(x.member.name)}>
                    {new URL(x.link.address, location.origin).href}
                  </code>
                )}
              </li>
            ))}
          </ul>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={onClose}>{t.close}</Button>
          <Button type="submit" look="ours" disabled={!draft.text.trim() || add.isPending}>
            {s.add}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
