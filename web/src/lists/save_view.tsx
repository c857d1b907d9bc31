import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useId, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import type { ListKind } from "../book/values";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";
import type { View } from "./rows";

const l = t.book.list;

/** queryOf is what of a view is kept with it. */
export const queryOf = (v: View): Schemas["ViewQuery"] => ({
  ...(v.q ? { q: v.q } : {}),
  ...(v.f ? { filter: v.f } : {}),
  ...(v.sort ? { sort: v.sort } : {}),
  ...(v.down ? { down: true } : {}),
  ...(v.cols ? { columns: v.cols.split(",") } : {}),
});

/** viewOf is a kept view as it stands in an address. */
export const viewOf = (q: Schemas["ViewQuery"]): View => ({
  q: q.q,
  f: q.filter,
  sort: q.sort,
  down: q.down ? true : undefined,
  cols: q.columns?.join(","),
});

/** SaveView keeps what a list shows under a name. */
export function SaveView({ kind, view }: { kind: ListKind; view: View }) {
  const [open, setOpen] = useState(false);
  if (!view.f && !view.q && !view.sort) return null;
  return (
    <>
      <Button
        onClick={() => {
          setOpen(true);
        }}
      >
        {l.saveView}
      </Button>
      {open && (
        <ListDialog
          type="view"
          kind={kind}
          query={queryOf(view)}
          onClose={() => {
            setOpen(false);
          }}
        />
      )}
    </>
  );
}

const listKinds: ListKind[] = [
  "people",
  "contact",
  "lead",
  "company",
  "deal",
  "case",
  "product",
  "quote",
  "order",
  "delivery",
  "invoice",
  "visit",
];

/** ListDialog makes a list or a view, or changes one. */
export function ListDialog({
  type,
  kind,
  query,
  list,
  onClose,
}: {
  type: "hand" | "view";
  kind?: ListKind;
  query?: Schemas["ViewQuery"];
  list?: Schemas["RecordList"];
  onClose: () => void;
}) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const groups = useId();
  const known = [...new Set((useQuery(queries.lists).data ?? []).map((x) => x.group).filter(Boolean))];
  const [name, setName] = useState(list?.name ?? "");
  const [group, setGroup] = useState(list?.group ?? "");
  const [of, setOf] = useState<string>(list?.kind ?? kind ?? "people");
  const [shared, setShared] = useState(list?.shared ?? true);
  const [line, setLine] = useState(list?.line_id ?? "");
  const lines = useQuery(queries.roundChoices).data?.lines ?? [];
  const save = useMutation({
    mutationFn: () => {
      const body = {
        name,
        group,
        type,
        kind: of as Schemas["ListEdit"]["kind"],
        query: list?.query ?? query ?? {},
        shared,
        ...(line ? { line_id: line } : {}),
      };
      return list
        ? ask(
            api.PUT("/api/lists/{id}", { params: { path: { id: list.id } }, body: { ...body, version: list.version } }),
          )
        : ask(api.POST("/api/lists", { body }));
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: keys.lists() });
      onClose();
      tell(l.viewKept(made.name));
      if (!list) void navigate({ to: "/lists/$id", params: { id: made.id }, search: {} });
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={list ? l.rename : type === "hand" ? l.newList : l.saveView}
      actions={
        <>
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="list" disabled={save.isPending || !name.trim()}>
            {t.save}
          </Button>
        </>
      }
    >
      <form
        id="list"
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim() && !save.isPending) save.mutate();
        }}
      >
        <Field
          label={l.name}
          autoFocus
          maxLength={120}
          value={name}
          problem={save.error?.message}
          onChange={(e) => {
            setName(e.target.value);
          }}
        />
        <Field
          label={l.newGroup}
          list={groups}
          maxLength={120}
          value={group}
          onChange={(e) => {
            setGroup(e.target.value);
          }}
        />
        <datalist id={groups}>
          {known.map((g) => (
            <option key={g} value={g} />
          ))}
        </datalist>
        {type === "hand" && !list && (
          <Select
            label={l.of}
            value={of}
            onChange={(e) => {
              setOf(e.target.value);
            }}
          >
            {listKinds.map((k) => (
              <option key={k} value={k}>
                {t.book.many(k)}
              </option>
            ))}
          </Select>
        )}
        <label className="inline-flex min-h-6 items-center gap-2">
          <input
            type="checkbox"
            checked={shared}
            onChange={(e) => {
              setShared(e.target.checked);
            }}
          />
          {l.shared}
        </label>
        <Select
          label={t.rounds.list.line}
          value={line}
          onChange={(e) => {
            setLine(e.target.value);
          }}
        >
          <option value="">{t.rounds.list.usualLine}</option>
          {lines.map((x) => (
            <option key={x.id} value={x.id}>
              {x.label}
            </option>
          ))}
        </Select>
      </form>
    </Dialog>
  );
}
