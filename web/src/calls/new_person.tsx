import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, Failure, newKey, type RecordRef, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";

const u = t.in.unknown;

/** NewPerson makes somebody who called or wrote a record from three fields; what is known of them comes from there. */
export function NewPerson({
  known: prefilled,
  company,
  make,
  putOn,
  onDone,
}: {
  known: string;
  company: RecordRef | null;
  make: (body: Schemas["RecordFromCall"], key: string) => Promise<unknown>;
  putOn: (record: string) => void;
  onDone: () => void;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const [key] = useState(newKey);
  const [kind, setKind] = useState(company ? "of" : "contact");
  const [name, setName] = useState("");
  const [firm, setFirm] = useState("");
  const [chosen, setChosen] = useState<RecordRef>(); // a company that is there
  const [mail, setMail] = useState("");
  const asked = useDeferredValue(JSON.stringify({ name: name.trim(), mail: mail.trim() }));
  const twins = useQuery({
    queryKey: keys.duplicates("check", "caller", asked),
    queryFn: () => {
      const { name: n, mail: m } = JSON.parse(asked) as { name: string; mail: string };
      return ask(
        api.POST("/api/duplicates/check", {
          body: { kind: "contact", values: { ...(n ? { name: n } : {}), ...(m ? { email: m } : {}) } },
        }),
      );
    },
    enabled: name.trim().length > 2 || mail.includes("@"),
    staleTime: 10_000,
  });
  const typed = useDeferredValue(firm.trim());
  const firms = useQuery({ ...queries.find(typed), enabled: kind !== "of" && !chosen && typed.length > 2 });
  const there = typed.length > 2 ? (firms.data?.records.filter((r) => r.kind === "company").slice(0, 3) ?? []) : [];
  const save = useMutation({
    mutationFn: (another: boolean) =>
      make(
        {
          kind: kind === "lead" ? "lead" : "contact",
          name,
          ...(kind === "of" && company
            ? { company_id: company.id }
            : chosen
              ? { company_id: chosen.id }
              : firm.trim()
                ? { company_name: firm, ...(another ? { another_company: true } : {}) }
                : {}),
          ...(mail.trim() ? { email: mail } : {}),
        },
        key,
      ),
    onSuccess: () => {
      refresh(client, keys.rows(), keys.record(), keys.calls(), keys.lane());
      onDone();
    },
    onError: (e) => {
      if (!(e instanceof Failure)) tell(e.message, { bad: true });
    },
  });
  const wrong = save.error instanceof Failure ? save.error.problem?.field : undefined;
  const problem = (field: string) => (wrong === field || wrong?.endsWith(field) ? save.error?.message : undefined);
  const known = twins.data ?? [];
  return (
    <form
      aria-label={u.title}
      data-testid="unknown-caller"
      className="rounded-sm bg-waiting-soft px-2 py-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending && name.trim()) save.mutate(false);
      }}
    >
      <div className="flex flex-wrap items-end gap-2">
        <Select
          label={u.kind}
          value={kind}
          className="w-40"
          onChange={(e) => {
            setKind(e.target.value);
          }}
        >
          {company && <option value="of">{u.contactOf(company.name)}</option>}
          <option value="contact">{u.contact}</option>
          <option value="lead">{u.lead}</option>
        </Select>
        <Field
          label={u.name}
          autoFocus
          maxLength={300}
          className="w-40"
          value={name}
          problem={problem("name") ?? problem("given") ?? problem("family")}
          onChange={(e) => {
            setName(e.target.value);
          }}
        />
        {kind !== "of" && chosen && (
          <Button
            title={u.notThis}
            onClick={() => {
              setChosen(undefined);
            }}
          >
            {chosen.name} <span aria-hidden="true">×</span>
          </Button>
        )}
        {kind !== "of" && !chosen && (
          <Field
            label={`${u.company} (${u.companyHint})`}
            maxLength={300}
            className="w-48"
            value={firm}
            problem={problem("company_name")}
            onChange={(e) => {
              setFirm(e.target.value);
            }}
          />
        )}
        {kind === "of" && (
          <Field
            label={u.email}
            type="email"
            maxLength={300}
            className="w-48"
            value={mail}
            problem={problem("email")}
            onChange={(e) => {
              setMail(e.target.value);
            }}
          />
        )}
        <Button look="ours" type="submit" disabled={!name.trim() || save.isPending}>
          {known.length > 0 ? u.saveAnyway : u.save}
        </Button>
        <Button onClick={onDone}>{t.cancel}</Button>
      </div>
      <p className="mt-1 text-sm text-quiet">
        {prefilled}
        {save.error && !problem("name") && !problem("company_name") && !problem("email") && (
          <span role="alert" className="ml-2 text-ending">
            {save.error.message}
          </span>
        )}
      </p>
      {kind !== "of" && !chosen && there.length > 0 && (
        <p className="mt-1 flex flex-wrap items-center gap-1.5 text-sm" data-testid="firms">
          <span className="font-semibold text-waiting">{u.alreadyFirm}</span>
          {there.map((h) => (
            <Button
              key={h.id}
              onClick={() => {
                setChosen({ id: h.id, kind: h.kind, name: h.name });
              }}
            >
              {h.name}
            </Button>
          ))}
          {wrong === "company_name" && (
            <Button
              onClick={() => {
                save.mutate(true);
              }}
            >
              {u.anotherFirm}
            </Button>
          )}
        </p>
      )}
      {known.length > 0 && (
        <p className="mt-1 flex flex-wrap items-center gap-1.5 text-sm" data-testid="twins">
          <span className="font-semibold text-waiting">{u.already}</span>
          {known.slice(0, 3).map((h) => (
            <Button
              key={h.record.id}
              onClick={() => {
                putOn(h.record.id);
              }}
            >
              {u.putOn(h.record.name)} <span className="text-sm text-quiet">{h.record.company?.name}</span>
            </Button>
          ))}
        </p>
      )}
    </form>
  );
}
