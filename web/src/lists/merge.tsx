import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useFields, written } from "../book/values";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

type Record = Schemas["Record"];
const d = t.book.duplicates;

/** Merge shows two records side by side; of each field that differs one value is chosen. */
export function Merge() {
  const { a, b } = useSearch({ from: "/frame/merge" });
  const left = useQuery({ ...queries.record(a ?? ""), enabled: a !== undefined });
  const right = useQuery({ ...queries.record(b ?? ""), enabled: b !== undefined });
  if (!a || !b) return <Failed error={undefined} title={d.missing} />;
  if (left.isPending || right.isPending) return <Loading />;
  if (!left.data || !right.data) return <Failed error={left.error ?? right.error} title={t.record.gone} />;
  return <Sides left={left.data} right={right.data} />;
}

function Sides({ left, right }: { left: Record; right: Record }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [keepLeft, setKeepLeft] = useState(right.kind !== "contact" || left.kind === "contact");
  const [take, setTake] = useState<Set<string>>(new Set());
  const [key] = useState(newKey);
  const fields = useFields(left.kind);
  const text = (r: Record, key: string) => r.values.find((v) => v.key === key)?.text ?? "";
  const rows = fields.filter(
    (f) =>
      !f.computed &&
      f.type !== "phone" &&
      (text(left, f.key) || text(right, f.key)) &&
      text(left, f.key) !== text(right, f.key),
  );
  const keep = keepLeft ? left : right;
  const lose = keepLeft ? right : left;
  const done = () => {
    refresh(client, keys.record(), keys.rows(), keys.history(), keys.duplicates(), keys.lane());
  };
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const undo = useMutation({
    mutationFn: (id: string) => ask(api.POST("/api/merges/{id}/undo", { params: { path: { id } } })),
    onSuccess: () => {
      done();
      tell(t.book.mergeUndone);
    },
    onError: failed,
  });
  const merge = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/merges", {
          params: { header: { "Idempotency-Key": key } },
          body: { keep: keep.id, lose: lose.id, take: [...take] },
        }),
      ),
    onSuccess: (merged) => {
      done();
      tell(d.merged(merged.record.name), {
        action: {
          label: d.undo,
          run: () => {
            undo.mutate(merged.id);
          },
        },
      });
      void navigate({ to: "/records/$id", params: { id: merged.record.id } });
    },
    onError: failed,
  });
  const apart = useMutation({
    mutationFn: () => ask(api.POST("/api/duplicates/different", { body: { a: left.id, b: right.id } })),
    onSuccess: () => {
      done();
      tell(d.kept);
      void navigate({ to: "/records/$id", params: { id: left.id } });
    },
    onError: failed,
  });
  const chosen = (key: string, side: "left" | "right", type: string) => {
    if (type === "long" || type === "tags") return true;
    const kept = (side === "left") === keepLeft;
    // What one of the two lacks is taken from the other by itself.
    if (!text(keep, key)) return !kept;
    return kept ? !take.has(key) : take.has(key);
  };
  const pick = (key: string, side: "left" | "right") => {
    const next = new Set(take);
    if ((side === "left") === keepLeft) next.delete(key);
    else next.add(key);
    setTake(next);
  };
  const head = (r: Record, isLeft: boolean) => (
    <th className="w-[42%] px-2 py-2 text-left align-top font-normal">
      <span className="name block text-lg">{r.name}</span>
      <span className="block text-sm text-quiet">
        {t.book.kind(r.kind)} · {t.record.touches(r.touches, r.conversations)} ·{" "}
        {r.numbers.map((n) => n.display).join(", ")}
      </span>
      <label className="mt-1 inline-flex min-h-6 items-center gap-1.5">
        <input
          type="radio"
          name="keep"
          checked={keepLeft === isLeft}
          onChange={() => {
            setKeepLeft(isLeft);
            setTake(new Set());
          }}
        />
        {d.keepThis}
        <span className="text-sm text-quiet">({keepLeft === isLeft ? d.keeps : d.goes})</span>
      </label>
    </th>
  );
  const cell = (f: (typeof rows)[number], side: "left" | "right") => {
    const r = side === "left" ? left : right;
    const value = text(r, f.key);
    const joined = f.type === "long" || f.type === "tags";
    const on = chosen(f.key, side, f.type);
    return (
      <td className={`px-2 py-1.5 align-top ${on && value ? "" : "text-quiet"}`}>
        <label className="flex items-start gap-1.5">
          {joined ? (
            <span className="sr-only">{d.notesBoth}</span>
          ) : (
            <input
              type="radio"
              name={f.key}
              aria-label={d.take(`${f.label} ${value}`)}
              className="mt-1"
              checked={on}
              disabled={!value}
              onChange={() => {
                pick(f.key, side);
              }}
            />
          )}
          <span className={`min-w-0 break-words whitespace-pre-wrap ${on && value ? "font-semibold" : ""}`}>
            {written(f.type, value) || t.book.nothing}
          </span>
        </label>
      </td>
    );
  };
  return (
    <>
      <h1 className="name text-xl">{d.title2}</h1>
      <p className="mt-1 mb-3 text-quiet">{d.both}</p>
      <table className="w-full max-w-4xl" data-testid="merge">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[16%]">
              <span className="sr-only">{t.book.fields}</span>
            </th>
            {head(left, true)}
            {head(right, false)}
          </tr>
        </thead>
        <tbody>
          {rows.map((f) => (
            <tr key={f.key} className="border-b border-rule">
              <th className="py-1.5 pr-2 text-left align-top text-sm font-normal text-quiet">
                {f.label}
                {(f.type === "long" || f.type === "tags") && ` (${d.notesBoth})`}
              </th>
              {cell(f, "left")}
              {cell(f, "right")}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length === 0 && <p className="py-3 text-quiet">{d.nothing}</p>}
      <div className="mt-4 flex gap-2">
        <Button
          look="ours"
          disabled={merge.isPending}
          onClick={() => {
            merge.mutate();
          }}
        >
          {d.merge}
        </Button>
        <Button
          disabled={apart.isPending}
          onClick={() => {
            apart.mutate();
          }}
        >
          {d.different}
        </Button>
      </div>
    </>
  );
}
