import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { type FieldDef, type Kind, useBook } from "../book/values";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Area, Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

const s = t.book.settings;
type Settings = Schemas["BookSettings"];
type Place = Schemas["PlacedField"]["place"];

/** FieldSettings is where an admin says which fields a kind of record has, and where its sheet shows them. */
export function FieldSettings() {
  const client = useQueryClient();
  const tell = useTell();
  const book = useBook();
  const settings = useQuery(queries.bookSettings);
  const [kind, setKind] = useState<Kind>("contact");
  const again = () => {
    refresh(client, keys.book(), keys.bookSettings(), keys.record());
  };
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const save = useMutation({
    mutationFn: (body: Settings) => ask(api.PUT("/api/settings/book", { body })),
    onSuccess: (saved) => {
      client.setQueryData(keys.bookSettings(), saved);
      again();
    },
    onError: failed,
  });
  const takeOff = useMutation({
    mutationFn: (f: FieldDef) =>
      ask(
        api.PUT("/api/fields/{id}", {
          params: { path: { id: f.custom_id ?? "" } },
          body: {
            kind,
            label: f.label,
            type: f.type as Schemas["FieldEdit"]["type"],
            choices: f.choices,
            active: false,
          },
        }),
      ),
    onSuccess: (_, f) => {
      tell(s.takenOff(f.label));
      again();
    },
    onError: failed,
  });
  if (settings.isPending) return <Loading />;
  if (!settings.data) return <Failed error={settings.error} retry={() => void settings.refetch()} />;
  const defs = book.kinds.find((k) => k.kind === kind)?.fields ?? [];
  const layout = settings.data.layouts.find((l) => l.kind === kind)?.fields ?? [];
  const put = (fields: Schemas["PlacedField"][]) => {
    save.mutate({
      ...settings.data,
      layouts: settings.data.layouts.map((l) => (l.kind === kind ? { kind, fields } : l)),
    });
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_18rem] gap-8 max-[63.9rem]:grid-cols-1">
      <div>
        <div className="mb-2 flex items-end gap-4">
          <Select
            label={s.kind}
            className="w-44"
            value={kind}
            onChange={(e) => {
              setKind(e.target.value as Kind);
            }}
          >
            {book.kinds.map((k) => (
              <option key={k.kind} value={k.kind}>
                {t.book.many(k.kind)}
              </option>
            ))}
          </Select>
          <p className="pb-1 text-quiet">{s.fieldsIntro}</p>
        </div>
        <ol data-testid="layout">
          {layout.map((p, i) => {
            const def = defs.find((f) => f.key === p.key);
            if (!def) return null;
            return (
              <li
                key={p.key}
                className="grid grid-cols-[minmax(0,1fr)_8rem_9rem_4.5rem] items-center gap-3 border-b border-rule py-1"
              >
                <span>
                  <span className="name">{def.label}</span>{" "}
                  {def.custom_id && <span className="text-sm text-quiet">{s.own}</span>}
                </span>
                <span className="text-sm text-quiet">{s.types[def.type] ?? ""}</span>
                <Select
                  label={s.place(def.label)}
                  hidden
                  value={p.place}
                  onChange={(e) => {
                    put(layout.map((x, j) => (j === i ? { ...x, place: e.target.value as Place } : x)));
                  }}
                >
                  {Object.entries(s.places).map(([value, label]) => (
                    <option key={value} value={value}>
                      {label}
                    </option>
                  ))}
                </Select>
                <span className="flex justify-end gap-1">
                  {i > 0 && (
                    <IconButton
                      label={s.up(def.label)}
                      onClick={() => {
                        const next = [...layout];
                        next.splice(i - 1, 0, ...next.splice(i, 1));
                        put(next);
                      }}
                    >
                      <span aria-hidden>↑</span>
                    </IconButton>
                  )}
                  {def.custom_id && (
                    <IconButton
                      label={`${s.takeOff}: ${def.label}`}
                      onClick={() => {
                        takeOff.mutate(def);
                      }}
                    >
                      <span aria-hidden>×</span>
                    </IconButton>
                  )}
                </span>
              </li>
            );
          })}
        </ol>
      </div>
      <NewField key={kind} kind={kind} onMade={again} />
    </div>
  );
}

function NewField({ kind, onMade }: { kind: Kind; onMade: () => void }) {
  const tell = useTell();
  const [label, setLabel] = useState("");
  const [type, setType] = useState<Schemas["FieldEdit"]["type"]>("text");
  const [choices, setChoices] = useState("");
  const add = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/fields", {
          body: {
            kind,
            label,
            type,
            ...(type === "choice" ? { choices: choices.split("\n").filter((c) => c.trim()) } : {}),
          },
        }),
      ),
    onSuccess: () => {
      tell(`${s.saved}: ${label}`);
      setLabel("");
      setChoices("");
      onMade();
    },
  });
  return (
    <form
      className="flex flex-col gap-3"
      aria-label={s.newField}
      onSubmit={(e) => {
        e.preventDefault();
        if (label.trim() && !add.isPending) add.mutate();
      }}
    >
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.newField}</h2>
      <Field
        label={s.label}
        maxLength={80}
        value={label}
        problem={add.error?.message}
        onChange={(e) => {
          setLabel(e.target.value);
        }}
      />
      <Select
        label={s.type}
        value={type}
        onChange={(e) => {
          setType(e.target.value as typeof type);
        }}
      >
        {Object.entries(s.types).map(([value, text]) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
      </Select>
      {type === "choice" && (
        <Area
          label={s.choices}
          rows={4}
          value={choices}
          onChange={(e) => {
            setChoices(e.target.value);
          }}
        />
      )}
      <Button look="ours" type="submit" className="self-start" disabled={add.isPending || !label.trim()}>
        {s.addField}
      </Button>
    </form>
  );
}
