import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { waysIn } from "../texts/ways_in";
import { Button, IconButton } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Provider = Schemas["IdentityProvider"];
type Rule = Schemas["ProvidedRule"];

const w = waysIn.provider;

/** IdentityProviderSettings say who tells who somebody is, and what becomes of them. */
export function IdentityProviderSettings() {
  const now = useQuery(queries.identityProvider);
  if (now.isPending) return <Loading />;
  if (!now.data) return <Failed error={now.error} retry={() => void now.refetch()} />;
  return <ProviderForm now={now.data} />;
}

function ProviderForm({ now }: { now: Provider }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved, notice } = useDraft("identity-provider", now);
  const set = (change: Partial<Provider>) => {
    setDraft({ ...draft, ...change });
  };
  const save = useMutation({
    mutationFn: ({ label, issuer, client_id, client_secret, scopes, rules }: Provider) =>
      ask(
        api.PUT("/api/identity-provider", {
          body: {
            label,
            issuer,
            client_id,
            scopes: scopes.filter(Boolean),
            rules,
            version: now.version,
            ...(client_secret ? { client_secret } : {}), // else as it was
          },
        }),
      ),
    onSuccess: (as, asked) => {
      tell(asked.issuer ? w.saved : w.off);
      client.setQueryData(keys.identityProvider(), as);
      saved(as);
      refresh(client, keys.signInWays());
    },
    onError: (e) => {
      if (e instanceof Failure && e.code === "stale_version") refresh(client, keys.identityProvider());
    },
  });
  const failure = save.error instanceof Failure ? save.error : undefined;
  const problem = (field: string) => (failure?.problem?.field === field ? failure.message : undefined);
  const field = (key: "label" | "issuer" | "client_id", label: string, max: number, help?: string) => (
    <Field
      label={label}
      maxLength={max}
      placeholder={help}
      value={draft[key]}
      problem={problem(key)}
      onChange={(e) => {
        set({ [key]: e.target.value });
      }}
    />
  );
  return (
    <form
      className="max-w-3xl"
      data-testid="identity-provider"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate(draft);
      }}
    >
      <p className="mb-3 max-w-prose">{w.intro}</p>
      {notice}
      <div className="grid grid-cols-2 gap-3 max-[40rem]:grid-cols-1">
        {field("label", w.label, 60)}
        {field("issuer", w.issuer, 500, w.issuerHelp)}
        {field("client_id", w.clientID, 300)}
        <Field
          label={w.secret}
          type="password"
          autoComplete="off"
          maxLength={1000}
          placeholder={draft.has_secret ? w.secretKept : ""}
          value={draft.client_secret ?? ""}
          problem={problem("client_secret")}
          onChange={(e) => {
            set({ client_secret: e.target.value });
          }}
        />
        <Field
          label={w.scopes}
          maxLength={1000}
          placeholder={w.scopesHelp}
          value={draft.scopes.join(" ")}
          problem={problem("scopes")}
          onChange={(e) => {
            set({ scopes: e.target.value.split(" ") });
          }}
          onBlur={() => {
            set({ scopes: draft.scopes.filter(Boolean) });
          }}
        />
      </div>
      <p className="mt-3 text-sm text-quiet">{w.back}</p>
      <p className="font-mono text-sm break-all select-all">{draft.back}</p>
      <Rules
        rules={draft.rules}
        onChange={(rules) => {
          set({ rules });
        }}
        problem={problem}
      />
      <p className="mt-3 max-w-prose text-sm text-quiet">{w.second}</p>
      {failure && !failure.problem?.field && (
        <p role="alert" className="mt-2 text-ending">
          {failure.message}
        </p>
      )}
      <div className="mt-4 flex gap-2">
        <Button look="ours" type="submit" disabled={save.isPending || !draft.issuer}>
          {t.save}
        </Button>
        {now.issuer && (
          <Button
            disabled={save.isPending}
            onClick={() => {
              save.mutate({ ...now, issuer: "", rules: [] });
            }}
          >
            {w.turnOff}
          </Button>
        )}
      </div>
    </form>
  );
}

function Rules({
  rules,
  onChange,
  problem,
}: {
  rules: Rule[];
  onChange: (rules: Rule[]) => void;
  problem: (field: string) => string | undefined;
}) {
  const roles = useQuery(queries.roles).data?.roles ?? [];
  return (
    <section aria-label={w.rules} className="mt-5">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{w.rules}</h2>
      <p className="max-w-prose py-1 text-sm text-quiet">{w.rulesHelp}</p>
      {rules.map((r, i) => {
        const set = (change: Partial<Rule>) => {
          onChange(rules.map((x, j) => (i === j ? { ...x, ...change } : x)));
        };
        const told = ["claim", "value", "role", "team"].map((f) => problem(`rules.${String(i)}.${f}`)).find(Boolean);
        return (
          <div key={i} className="border-b border-rule py-2" data-testid="rule">
            <div className="flex flex-wrap items-end gap-2">
              <Field
                label={w.claim}
                className="w-36"
                maxLength={200}
                value={r.claim}
                onChange={(e) => {
                  set({ claim: e.target.value });
                }}
              />
              <Field
                label={w.value}
                className="w-48"
                maxLength={300}
                value={r.value}
                onChange={(e) => {
                  set({ value: e.target.value });
                }}
              />
              <Select
                label={w.role}
                className="w-36"
                value={r.role}
                onChange={(e) => {
                  set({ role: e.target.value });
                }}
              >
                {roles.map((x) => (
                  <option key={x.key} value={x.key}>
                    {x.name}
                  </option>
                ))}
              </Select>
              <Field
                label={w.team}
                className="w-40"
                maxLength={100}
                value={r.team}
                onChange={(e) => {
                  set({ team: e.target.value });
                }}
              />
              <IconButton
                label={w.removeRule}
                onClick={() => {
                  onChange(rules.filter((_, j) => i !== j));
                }}
              >
                <Cross />
              </IconButton>
            </div>
            {told && <p className="text-sm text-ending">{told}</p>}
          </div>
        );
      })}
      <Button
        className="mt-2"
        onClick={() => {
          onChange([...rules, { claim: "groups", value: "", role: "rep", team: "" }]);
        }}
      >
        {w.addRule}
      </Button>
    </section>
  );
}
