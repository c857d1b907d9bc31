import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area, Check, Field } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Script = Schemas["Script"];
const s = t.after.scripts;

/** ScriptSettings are what reps may say, with questions whose answers lead on. */
export function ScriptSettings() {
  const scripts = useQuery(queries.scripts);
  if (scripts.isPending) return <Loading />;
  if (!scripts.data) return <Failed error={scripts.error} retry={() => void scripts.refetch()} />;
  return <Form scripts={scripts.data} />;
}

function Form({ scripts }: { scripts: Script[] }) {
  const client = useQueryClient();
  const tell = useTell();
  const types = useQuery(queries.me).data?.call_types ?? [];
  const { draft, setDraft, saved: isSaved, notice } = useDraft("scripts", scripts);
  const set = (at: number, change: Partial<Script>) => {
    setDraft(draft.map((x, i) => (i === at ? { ...x, ...change } : x)));
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/scripts", { body: { scripts: draft } })),
    onSuccess: (saved) => {
      client.setQueryData(keys.scripts(), saved);
      isSaved(saved);
      tell(s.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.scripts() }),
  });
  return (
    <form
      className="max-w-4xl"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <p className="text-quiet">{s.intro}</p>
      <pre className="my-2 rounded-sm bg-paper p-2 font-mono text-xs">{s.example}</pre>
      {notice}
      {draft.length === 0 && <Empty>{s.none}</Empty>}
      <ul aria-label={s.tab}>
        {draft.map((x, i) => (
          <li key={x.id ?? `new ${String(i)}`} className="border-b border-rule-strong py-3">
            <div className="flex flex-wrap items-end gap-x-5">
              <Field
                label={s.name(i + 1)}
                maxLength={60}
                className="w-64"
                value={x.name}
                onChange={(e) => {
                  set(i, { name: e.target.value });
                }}
              />
              <Check
                label={s.active}
                checked={x.active}
                onChange={(active) => {
                  set(i, { active });
                }}
              />
            </div>
            <div className="mt-1 flex flex-wrap gap-x-5">
              {types.map((y) => (
                <Check
                  key={y.id}
                  label={y.label}
                  checked={x.call_type_ids.length === 0 || x.call_type_ids.includes(y.id)}
                  onChange={(on) => {
                    const all = x.call_type_ids.length === 0 ? types.map((z) => z.id) : x.call_type_ids;
                    const next = on ? [...all, y.id] : all.filter((z) => z !== y.id);
                    set(i, { call_type_ids: next.length === types.length ? [] : next });
                  }}
                />
              ))}
            </div>
            <Area
              label={s.body}
              className="mt-1 font-mono text-sm"
              rows={12}
              maxLength={40_000}
              value={x.body}
              onChange={(e) => {
                set(i, { body: e.target.value });
              }}
            />
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          setDraft([...draft, { id: null, name: "", body: "# ", call_type_ids: [], directions: [], active: true }]);
        }}
      >
        {s.add}
      </Button>
      {save.error && (
        <p role="alert" className="mt-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="mt-3 ml-3" disabled={save.isPending}>
        {s.save}
      </Button>
    </form>
  );
}
