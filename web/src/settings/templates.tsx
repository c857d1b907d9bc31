import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area, Check, Field, Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Template = Schemas["Template"];
const p = t.after.templates;

/** TemplateSettings are what messages and mails can begin with. */
export function TemplateSettings() {
  const templates = useQuery(queries.templates);
  if (templates.isPending) return <Loading />;
  if (!templates.data) return <Failed error={templates.error} retry={() => void templates.refetch()} />;
  return <Form templates={templates.data} />;
}

function Form({ templates }: { templates: Template[] }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved: isSaved, notice } = useDraft("templates", templates);
  const set = (at: number, change: Partial<Template>) => {
    setDraft(draft.map((x, i) => (i === at ? { ...x, ...change } : x)));
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/templates", { body: { templates: draft } })),
    onSuccess: (saved) => {
      client.setQueryData(keys.templates(), saved);
      isSaved(saved);
      tell(p.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.templates() }),
  });
  return (
    <form
      className="max-w-3xl"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <p className="mb-3 text-quiet">{p.intro}</p>
      {notice}
      {draft.length === 0 && <Empty>{p.none}</Empty>}
      <ul aria-label={p.tab}>
        {draft.map((x, i) => (
          <li key={x.id ?? `new ${String(i)}`} className="grid grid-cols-[14rem_1fr] gap-4 border-b border-rule py-3">
            <div className="flex flex-col gap-2">
              <Field
                label={p.name(i + 1)}
                maxLength={60}
                value={x.name}
                onChange={(e) => {
                  set(i, { name: e.target.value });
                }}
              />
              <Select
                label={p.channel}
                hidden
                value={x.channel}
                onChange={(e) => {
                  set(i, { channel: e.target.value as Template["channel"] });
                }}
              >
                <option value="text">{t.after.post.channels.text}</option>
                <option value="mail">{t.after.post.channels.mail}</option>
              </Select>
              <Check
                label={x.used ? `${p.active} (${x.used})` : p.active}
                checked={x.active}
                onChange={(active) => {
                  set(i, { active });
                }}
              />
            </div>
            <div className="flex flex-col gap-2">
              {x.channel === "mail" && (
                <Field
                  label={t.after.post.subject}
                  maxLength={200}
                  value={x.subject}
                  onChange={(e) => {
                    set(i, { subject: e.target.value });
                  }}
                />
              )}
              <Area
                label={p.body}
                rows={x.channel === "mail" ? 6 : 3}
                maxLength={10_000}
                value={x.body}
                onChange={(e) => {
                  set(i, { body: e.target.value });
                }}
              />
            </div>
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          setDraft([...draft, { id: null, name: "", channel: "text", subject: "", body: "", active: true }]);
        }}
      >
        {p.add}
      </Button>
      {save.error && (
        <p role="alert" className="mt-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="mt-3 ml-3" disabled={save.isPending}>
        {p.save}
      </Button>
    </form>
  );
}
