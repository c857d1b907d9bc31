import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Badge } from "../ui/chip";
import { Check, Field } from "../ui/field";
import { Again, Cross } from "../ui/icons";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Webhook = Schemas["Webhook"];
const p = t.after.programs;
const scopes = ["read", "write", "calls", "settings"] as const;
const events = ["call.ended", "slip.filed", "record.created", "message.received"] as const;

/** ProgramSettings are the ways by which other programs come in and are told. */
export function ProgramSettings() {
  const setUp = useRights().may("connections");
  return (
    <div className="flex max-w-4xl flex-col gap-7">
      <p>
        {p.intro}{" "}
        <Link to="/programs" className="font-semibold text-ours underline underline-offset-3">
          {p.described}
        </Link>
      </p>
      <Tokens mayAll={setUp} />
      {setUp && <Webhooks />}
      {setUp && <Deliveries />}
    </div>
  );
}

function Tokens({ mayAll }: { mayAll: boolean }) {
  const client = useQueryClient();
  const tell = useTell();
  const tokens = useQuery(queries.tokens);
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<(typeof scopes)[number][]>(["read"]);
  const [made, setMade] = useState<string>();
  const again = () => void client.invalidateQueries({ queryKey: keys.tokens() });
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/tokens", { body: { name, scopes: chosen } })),
    onSuccess: (token) => {
      setMade(token.token);
      setName("");
      again();
    },
  });
  const revoke = useMutation({
    mutationFn: (id: string) => ask(api.DELETE("/api/tokens/{id}", { params: { path: { id } } })),
    onSettled: again,
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <section aria-label={p.tokens}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{p.tokens}</h2>
      <p className="py-1 text-sm text-quiet">{p.tokensIntro}</p>
      {tokens.data?.length === 0 && <Empty>{p.noTokens}</Empty>}
      <ul>
        {tokens.data?.map((x) => (
          <li key={x.id} className="flex items-center gap-3 border-b border-rule py-1.5">
            <span className="flex-1">
              <span className="font-semibold">{x.name}</span>{" "}
              <span className="text-sm text-quiet">
                {x.scopes.map((s) => p.scopes[s]).join(", ")} ·{" "}
                {x.used_at ? p.usedAt(`${dayShort(x.used_at)} ${clockTime(x.used_at)}`) : p.neverUsed}
              </span>
            </span>
            <Button
              onClick={() => {
                revoke.mutate(x.id);
              }}
            >
              {p.revoke}
            </Button>
          </li>
        ))}
      </ul>
      {made && (
        <p className="my-2 flex items-center gap-2 rounded-sm bg-ours-soft px-3 py-2">
          <code className="min-w-0 font-mono text-xs break-all" data-testid="token">
            {made}
          </code>
          <Button
            onClick={() => {
              void navigator.clipboard.writeText(made).then(() => {
                tell(p.copied);
              });
            }}
          >
            {t.number.copy}
          </Button>
          <span className="text-sm">{p.once}</span>
        </p>
      )}
      <form
        className="mt-2 flex flex-wrap items-end gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim() && chosen.length > 0 && !make.isPending) make.mutate();
        }}
      >
        <Field
          label={p.tokenName}
          maxLength={60}
          className="w-56"
          value={name}
          problem={make.error?.message}
          onChange={(e) => {
            setName(e.target.value);
          }}
        />
        {scopes
          .filter((s) => s !== "settings" || mayAll)
          .map((s) => (
            <Check
              key={s}
              label={p.scopes[s] ?? s}
              checked={chosen.includes(s)}
              onChange={(on) => {
                setChosen(on ? [...chosen, s] : chosen.filter((x) => x !== s));
              }}
            />
          ))}
        <Button type="submit" look="ours" disabled={!name.trim() || chosen.length === 0}>
          {p.make}
        </Button>
      </form>
    </section>
  );
}

function Webhooks() {
  const hooks = useQuery(queries.webhooks);
  if (hooks.isPending) return <Loading />;
  if (!hooks.data) return <Failed error={hooks.error} retry={() => void hooks.refetch()} />;
  return <HookForm hooks={hooks.data.webhooks} />;
}

function HookForm({ hooks }: { hooks: Webhook[] }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved: isSaved, notice } = useDraft("programs", hooks);
  const set = (at: number, change: Partial<Webhook>) => {
    setDraft(draft.map((x, i) => (i === at ? { ...x, ...change } : x)));
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/webhooks", { body: { webhooks: draft } })),
    onSuccess: (saved) => {
      client.setQueryData(keys.webhooks(), saved);
      isSaved(saved.webhooks);
      tell(p.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.webhooks() }),
  });
  return (
    <section aria-label={p.hooks}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{p.hooks}</h2>
      <p className="py-1 text-sm text-quiet">{p.hooksIntro}</p>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        {notice}
        <ul>
          {draft.map((x, i) => (
            <li key={x.id ?? `new ${String(i)}`} className="flex flex-col gap-1.5 border-b border-rule py-2">
              <div className="flex items-end gap-3">
                <Field
                  label={p.hookName(i + 1)}
                  maxLength={60}
                  className="w-44"
                  value={x.name}
                  onChange={(e) => {
                    set(i, { name: e.target.value });
                  }}
                />
                <Field
                  label={p.url(i + 1)}
                  className="min-w-0 flex-1"
                  placeholder="https://"
                  value={x.url}
                  onChange={(e) => {
                    set(i, { url: e.target.value });
                  }}
                />
                <IconButton
                  label={p.removeHook(x.name)}
                  className="mb-1"
                  onClick={() => {
                    setDraft(draft.filter((_, j) => j !== i));
                  }}
                >
                  <Cross />
                </IconButton>
              </div>
              <div className="flex flex-wrap gap-x-5">
                {events.map((e) => (
                  <Check
                    key={e}
                    label={p.events[e] ?? e}
                    checked={x.events.includes(e)}
                    onChange={(on) => {
                      set(i, { events: on ? [...x.events, e] : x.events.filter((y) => y !== e) });
                    }}
                  />
                ))}
                <Check
                  label={p.active}
                  checked={x.active}
                  onChange={(active) => {
                    set(i, { active });
                  }}
                />
              </div>
              {x.secret && (
                <p className="text-sm text-quiet">
                  {p.secret} <code className="font-mono text-xs break-all">{x.secret}</code>
                </p>
              )}
              {(x.stopped || x.used) && (
                <p className="text-sm text-waiting">{[x.stopped, x.used].filter(Boolean).join(" · ")}</p>
              )}
            </li>
          ))}
        </ul>
        <Button
          className="mt-2"
          onClick={() => {
            setDraft([...draft, { id: null, name: "", url: "", events: ["slip.filed"], active: true }]);
          }}
        >
          {p.addHook}
        </Button>
        {save.error && (
          <p role="alert" className="mt-2 text-ending">
            {save.error.message}
          </p>
        )}
        <Button look="ours" type="submit" className="mt-2 ml-3" disabled={save.isPending}>
          {p.save}
        </Button>
      </form>
    </section>
  );
}

function Deliveries() {
  const client = useQueryClient();
  const tell = useTell();
  const log = useQuery(queries.deliveries);
  const replay = useMutation({
    mutationFn: (id: string) => ask(api.POST("/api/webhook-deliveries/{id}/replay", { params: { path: { id } } })),
    onSettled: () => void client.invalidateQueries({ queryKey: keys.deliveries() }),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (!log.data?.length) return null;
  return (
    <section aria-label={p.log}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{p.log}</h2>
      <ul data-testid="deliveries">
        {log.data.map((d) => (
          <li key={d.id} className="border-b border-rule py-1.5">
            <details>
              <summary className="flex min-h-6 cursor-pointer items-center gap-3">
                <span className="text-quiet">
                  {dayShort(d.at)} {clockTime(d.at)}
                </span>
                <span className="flex-1">
                  {d.name}: {p.events[d.event] ?? d.event}
                </span>
                <Badge tone={d.state === "done" ? "theirs" : d.state === "failed" ? "ending" : "waiting"}>
                  {p.states[d.state]}
                  {d.tries > 1 && `, ${p.tries(d.tries)}`}
                </Badge>
                {(d.state === "done" || d.state === "failed") && (
                  <IconButton
                    label={p.replay}
                    onClick={() => {
                      replay.mutate(d.id);
                    }}
                  >
                    <Again />
                  </IconButton>
                )}
              </summary>
              {d.problem && <p className="text-ending">{d.problem}</p>}
              <pre className="mt-1 overflow-x-auto rounded-sm bg-paper p-2 font-mono text-xs whitespace-pre-wrap">
                {d.payload}
              </pre>
            </details>
          </li>
        ))}
      </ul>
    </section>
  );
}
