import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type KeyboardEvent, type ReactNode, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Block } from "../ui/block";
import { Button, IconButton } from "../ui/button";
import { Pen } from "../ui/icons";
import { type FieldDef, useFields, written } from "./values";
import { ValueInput } from "./value_input";

type Record = Schemas["Record"];

const link = "text-ours break-all hover:underline";

/** Shown is a field's value for reading: addresses are links. */
export function Shown({ def, value }: { def: FieldDef; value: Schemas["RecordValue"] }): ReactNode {
  if (!value.text) return <span className="text-quiet">{t.book.nothing}</span>;
  if (value.ref) {
    return (
      <Link
        to="/records/$id"
        params={{ id: value.ref.id }}
        className="text-ours underline decoration-rule-strong underline-offset-3 hover:decoration-ours"
      >
        {value.text}
      </Link>
    );
  }
  switch (def.type) {
    case "mail":
      return (
        <a className={link} href={`mailto:${encodeURIComponent(value.text).replace("%40", "@")}`}>
          {value.text}
        </a>
      );
    case "web":
      return (
        <a className={link} href={value.text} rel="noreferrer noopener" target="_blank">
          {value.text.replace(/^https?:\/\//, "")}
          <span className="sr-only"> {t.book.web}</span>
        </a>
      );
    case "long":
      return <span className="break-words whitespace-pre-wrap">{value.text}</span>;
    default:
      return <span className="break-words">{written(def.type, value.text)}</span>;
  }
}

/** RecordFields are the fields at the side of a sheet, in the order that the admin has set; each is edited where it stands. */
export function RecordFields({ record }: { record: Record }) {
  const fields = useFields(record.kind);
  const [all, setAll] = useState(false);
  const rows = fields.flatMap((def) => {
    const value = record.values.find((v) => v.key === def.key);
    return value && !def.computed && def.type !== "phone" ? [{ def, value }] : [];
  });
  const side = rows.filter((r) => r.def.place === "side" && (r.value.text || r.def.key === "note"));
  const rest = rows.filter((r) => !side.includes(r));
  return (
    <>
      {side.map(({ def, value }) => (
        <EditableField key={`${record.id} ${def.key}`} record={record} def={def} value={value} />
      ))}
      {all &&
        [...rest, ...fields.flatMap((def) => phoneRow(def, record))].map(({ def, value }) => (
          <EditableField key={`${record.id} ${def.key}`} record={record} def={def} value={value} />
        ))}
      {!all && (rest.length > 0 || fields.some((f) => f.type === "phone" && !f.computed)) && (
        <Button
          look="quiet"
          className="self-start"
          onClick={() => {
            setAll(true);
          }}
        >
          {t.book.make_.moreFields}
        </Button>
      )}
    </>
  );
}

const phoneRow = (def: FieldDef, record: Record) => {
  const value = record.values.find((v) => v.key === def.key);
  return value && def.type === "phone" && !def.computed ? [{ def, value }] : [];
};

/** EditableField is one field; what is being typed is never overwritten, and a change by somebody else is shown beside it. */
function EditableField({ record, def, value }: { record: Record; def: FieldDef; value: Schemas["RecordValue"] }) {
  const client = useQueryClient();
  // base is what the text was changed from; version what is to be replaced.
  const [draft, setDraft] = useState<{ text: string; base: string; version: number }>();
  const save = useMutation({
    mutationFn: async (d: { text: string; base: string; version: number }): Promise<Record> => {
      const put = (version: number) =>
        ask(
          api.PATCH("/api/records/{id}", {
            params: { path: { id: record.id } },
            body: { version, values: { [def.key]: d.text } },
          }),
        );
      try {
        return await put(d.version);
      } catch (e) {
        if (!(e instanceof Failure) || e.code !== "stale_version") throw e;
        // Somebody changed the record. If they left this field alone, nobody's work is lost by saving.
        const now = await client.fetchQuery({ ...queries.record(record.id), staleTime: 0 });
        const theirs = now.values.find((v) => v.key === def.key)?.value ?? "";
        setDraft({ ...d, version: now.version });
        if (theirs !== d.base) throw e;
        return put(now.version);
      }
    },
    onSuccess: (saved) => {
      client.setQueryData(keys.record(record.id), saved);
      void client.invalidateQueries({ queryKey: keys.rows() });
      setDraft(undefined);
    },
  });
  if (!draft) {
    return (
      <Block
        title={def.label}
        act={
          <IconButton
            label={t.book.edit(def.label)}
            onClick={() => {
              save.reset();
              setDraft({ text: value.value, base: value.value, version: record.version });
            }}
          >
            <Pen />
          </IconButton>
        }
      >
        <p>
          <Shown def={def} value={value} />
        </p>
      </Block>
    );
  }
  const stale = save.error instanceof Failure && save.error.code === "stale_version";
  const submit = () => {
    if (!save.isPending) save.mutate(draft);
  };
  const onKeyDown = (e: KeyboardEvent) => {
    if (e.key === "Enter" && (def.type !== "long" || e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      submit();
    } else if (e.key === "Escape") {
      e.stopPropagation();
      setDraft(undefined);
    }
  };
  return (
    <Block title={def.label}>
      <div onKeyDown={onKeyDown}>
        <ValueInput
          def={def}
          hidden
          autoFocus
          value={draft.text}
          refName={value.text}
          problem={stale ? t.book.changedElse(written(def.type, value.text)) : save.error?.message}
          onChange={(text) => {
            setDraft({ ...draft, text });
          }}
        />
        {def.type !== "text" && save.error && !stale && <p className="sr-only">{save.error.message}</p>}
        <div className="mt-1.5 flex gap-1.5">
          <Button look="ours" disabled={save.isPending} onClick={submit}>
            {t.save}
          </Button>
          <Button
            onClick={() => {
              setDraft(undefined);
            }}
          >
            {t.cancel}
          </Button>
        </div>
      </div>
    </Block>
  );
}
