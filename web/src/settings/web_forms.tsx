import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { webForms as w } from "../texts/web_forms";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Area, Check, Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";
import { ListFrame } from "./list_frame";

type Form = Schemas["WebForm"];

const fresh: Form = {
  name: "",
  queue_id: "",
  title: "",
  hello: "",
  calls: true,
  messages: false,
  makes_case: false,
  sites: [],
  active: true,
};

/** WebFormSettings are the forms that the firm shows on its own pages. */
export function WebFormSettings() {
  const forms = useQuery(queries.webForms);
  if (forms.isPending) return <Loading />;
  if (!forms.data) return <Failed error={forms.error} retry={() => void forms.refetch()} />;
  return (
    <ListFrame
      label={w.tab}
      intro={w.intro}
      items={forms.data}
      fresh={fresh}
      words={w}
      form={(form, onSaved) => <FormForm form={form} onSaved={onSaved} />}
    />
  );
}

function FormForm({ form, onSaved }: { form: Form; onSaved: (id: string | undefined) => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const queues = useQuery(queries.queueSettings).data ?? [];
  const lines = useQuery(queries.lines).data ?? [];
  const { draft, setDraft, saved: isSaved, notice } = useDraft(`web form ${form.id ?? "new"}`, form);
  const [sites, setSites] = useState(draft.sites.join(", "));
  const set = (change: Partial<Form>) => {
    setDraft({ ...draft, ...change });
  };
  const save = useMutation({
    mutationFn: () =>
      form.id
        ? ask(api.PUT("/api/settings/web-forms/{id}", { params: { path: { id: form.id } }, body: draft }))
        : ask(api.POST("/api/settings/web-forms", { body: draft })),
    onSuccess: (saved) => {
      isSaved(form.id ? saved : fresh);
      void client.invalidateQueries({ queryKey: keys.webForms() });
      onSaved(saved.id);
      tell(w.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.webForms() }),
  });
  const wrong = save.error instanceof Failure ? save.error.problem?.field : undefined;
  const problem = (field: string) => (wrong === field ? save.error?.message : undefined);
  return (
    <form
      aria-label={draft.name || w.add}
      className="flex min-w-0 max-w-2xl flex-1 flex-col gap-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      {notice}
      <div className="grid grid-cols-2 items-end gap-4">
        <Field
          label={w.name}
          maxLength={60}
          value={draft.name}
          problem={problem("name")}
          onChange={(e) => {
            set({ name: e.target.value });
          }}
        />
        <Check
          label={w.active}
          checked={draft.active}
          onChange={(active) => {
            set({ active });
          }}
        />
        <Select
          label={w.queue}
          value={draft.queue_id}
          required
          onChange={(e) => {
            set({ queue_id: e.target.value });
          }}
        >
          <option value="">{w.chooseQueue}</option>
          {queues
            .filter((q) => q.active)
            .map((q) => (
              <option key={q.id} value={q.id}>
                {q.name}
              </option>
            ))}
        </Select>
        <Select
          label={w.line}
          value={draft.line_id ?? ""}
          onChange={(e) => {
            const next: Form = { ...draft, line_id: e.target.value };
            if (!e.target.value) delete next.line_id;
            setDraft(next);
          }}
        >
          <option value="">{w.anyLine}</option>
          {lines.map((l) => (
            <option key={l.id} value={l.id}>
              {l.label}
            </option>
          ))}
        </Select>
      </div>
      <Field
        label={w.title}
        maxLength={100}
        value={draft.title}
        problem={problem("title")}
        onChange={(e) => {
          set({ title: e.target.value });
        }}
      />
      <Area
        label={w.hello}
        rows={2}
        maxLength={500}
        value={draft.hello}
        onChange={(e) => {
          set({ hello: e.target.value });
        }}
      />
      <div>
        <Check
          label={w.calls}
          checked={draft.calls}
          onChange={(calls) => {
            set({ calls });
          }}
        />
        <Check
          label={w.messages}
          checked={draft.messages}
          onChange={(messages) => {
            set({ messages });
          }}
        />
        {draft.messages && (
          <Check
            label={w.makesCase}
            checked={draft.makes_case}
            onChange={(makes_case) => {
              set({ makes_case });
            }}
          />
        )}
      </div>
      <Field
        label={w.sites}
        maxLength={2000}
        value={sites}
        problem={problem("sites")}
        onChange={(e) => {
          setSites(e.target.value);
          set({
            sites: e.target.value
              .split(",")
              .map((x) => x.trim())
              .filter(Boolean),
          });
        }}
      />
      <p className="-mt-1.5 text-sm text-quiet">{w.sitesHint}</p>
      {save.error && !["name", "title", "sites"].includes(wrong ?? "") && (
        <p role="alert" className="text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="self-start" disabled={save.isPending}>
        {w.save}
      </Button>
      {form.id && form.path && <Address id={form.id} form={form} />}
    </form>
  );
}

/** Address is where a form is, and what a page needs to show it. */
function Address({ id, form }: { id: string; form: Form }) {
  const client = useQueryClient();
  const tell = useTell();
  const [asks, setAsks] = useState(false);
  const address = window.location.origin + (form.path ?? "");
  const embed = `<iframe src="${address}" title="${form.title.replaceAll('"', "&quot;")}" width="100%" height="620" style="border:0"></iframe>`;
  const renew = useMutation({
    mutationFn: () => ask(api.POST("/api/settings/web-forms/{id}/address", { params: { path: { id } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.webForms() });
      tell(w.renewed);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const copy = (text: string) => {
    void navigator.clipboard.writeText(text).then(
      () => {
        tell(w.copied);
      },
      () => undefined, // it can be marked and copied by hand
    );
  };
  return (
    <section aria-label={w.address} className="mt-3 flex flex-col gap-2 border-t border-rule pt-3">
      {(
        [
          [w.address, address],
          [w.embed, embed],
        ] as const
      ).map(([label, text]) => (
        <div key={label} className="flex items-end gap-2">
          <Field label={label} readOnly className="min-w-0 flex-1" value={text} onChange={() => undefined} />
          <Button
            aria-label={`${w.copy}: ${label}`}
            onClick={() => {
              copy(text);
            }}
          >
            {w.copy}
          </Button>
        </div>
      ))}
      <div className="flex gap-2">
        <a
          href={form.path}
          target="_blank"
          rel="noreferrer"
          className="inline-flex min-h-8 items-center rounded-sm border border-rule-strong px-2.5 hover:bg-rule/40"
        >
          {w.look}
        </a>
        <Button
          onClick={() => {
            setAsks(true);
          }}
        >
          {w.renew}
        </Button>
      </div>
      {asks && (
        <Dialog
          open
          title={w.renew}
          onClose={() => {
            setAsks(false);
          }}
        >
          <p className="mb-3">{w.renewText}</p>
          <Button
            look="ending"
            onClick={() => {
              setAsks(false);
              renew.mutate();
            }}
          >
            {w.renew}
          </Button>
        </Dialog>
      )}
    </section>
  );
}
