import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { useTell } from "../ui/toast";
import { money } from "./values";

type Record = Schemas["Record"];
type Item = Schemas["Item"];
const w = t.book.items;

/** withoutNet is a line as it is sent: its net is the server's to compute. */
const withoutNet = ({ product_id, label, quantity, unit, discount, tax }: Item): Item => ({
  product_id: product_id ?? null,
  label,
  quantity,
  unit,
  discount,
  tax,
});

/** ItemTable is the lines of a quote or an order with their sums, for reading and for print. */
export function ItemTable({ record }: { record: Record }) {
  return (
    <table className="w-full">
      <thead>
        <tr className="text-left text-sm text-quiet">
          <th className="py-1 font-normal">{w.what}</th>
          <th className="px-2 text-right font-normal">{w.quantity}</th>
          <th className="px-2 text-right font-normal">{w.unit}</th>
          <th className="px-2 text-right font-normal">{w.discount}</th>
          <th className="px-2 text-right font-normal">{w.tax}</th>
          <th className="pl-2 text-right font-normal">{w.net}</th>
        </tr>
      </thead>
      <tbody>
        {record.items.map((it, i) => (
          <tr key={i} className="border-t border-rule">
            <td className="py-1.5">{it.label}</td>
            <td className="px-2 text-right">{it.quantity}</td>
            <td className="px-2 text-right">{money(it.unit)}</td>
            <td className="px-2 text-right">{it.discount === "0" ? "" : it.discount}</td>
            <td className="px-2 text-right">{it.tax}</td>
            <td className="pl-2 text-right">{money(it.net ?? "")}</td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        {record.totals.map((sum, i) => (
          <tr key={i} className={i === 0 ? "border-t border-rule-strong" : ""}>
            <td colSpan={5} className={`py-0.5 text-right ${i === 2 ? "font-semibold" : "text-quiet"}`}>
              {w.sum[i]}
            </td>
            <td className={`pl-2 text-right ${i === 2 ? "font-semibold" : ""}`}>{money(sum)}</td>
          </tr>
        ))}
      </tfoot>
    </table>
  );
}

/** Items are the lines of a quote or an order with their sums, and the way to change them. */
export function Items({ record }: { record: Record }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [draft, setDraft] = useState<{ items: Item[]; version: number }>();
  const [key] = useState(newKey);
  const products = useQuery({ ...queries.rows({ kinds: ["product"], limit: 200 }), enabled: draft !== undefined }).data;
  const save = useMutation({
    mutationFn: (d: { items: Item[]; version: number }) =>
      ask(
        api.PUT("/api/records/{id}/items", {
          params: { path: { id: record.id } },
          body: { version: d.version, items: d.items.map(withoutNet) },
        }),
      ),
    onSuccess: (saved) => {
      client.setQueryData(keys.record(record.id), saved);
      setDraft(undefined);
    },
    onError: (e) => {
      if (e instanceof Failure && e.code === "stale_version") {
        void client.fetchQuery({ ...queries.record(record.id), staleTime: 0 }).then((now) => {
          setDraft((d) => d && { ...d, version: now.version });
        });
      }
    },
  });
  const order = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/records/{id}/order", {
          params: { path: { id: record.id }, header: { "Idempotency-Key": key } },
        }),
      ),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: keys.record() });
      void navigate({ to: "/records/$id", params: { id: made.id } });
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const field = save.error instanceof Failure ? /^items\.(\d+)\.(\w+)$/.exec(save.error.problem?.field ?? "") : null;
  const problemAt = (i: number, key: string) =>
    field && globalThis.Number(field[1]) === i && field[2] === key ? save.error?.message : undefined;
  return (
    <section aria-label={w.title} className="mb-5" data-testid="items">
      <div className="flex items-center justify-between border-b border-rule-strong pb-1">
        <h2 className="text-quiet">{w.title}</h2>
        {!draft && (
          <span className="flex gap-2">
            {record.items.length > 0 && (
              <Link
                to="/print/$id"
                params={{ id: record.id }}
                className="inline-flex min-h-7 items-center px-2 text-ours hover:underline"
              >
                {t.after.print.open}
              </Link>
            )}
            {record.kind === "quote" && record.items.length > 0 && (
              <Button
                disabled={order.isPending}
                onClick={() => {
                  order.mutate();
                }}
              >
                {w.order}
              </Button>
            )}
            <Button
              onClick={() => {
                save.reset();
                setDraft({ items: record.items, version: record.version });
              }}
            >
              {w.edit}
            </Button>
          </span>
        )}
      </div>
      {!draft && record.items.length === 0 && <p className="py-2 text-quiet">{w.none}</p>}
      {!draft && record.items.length > 0 && <ItemTable record={record} />}
      {draft && (
        <form
          className="flex flex-col gap-2 pt-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (!save.isPending) save.mutate(draft);
          }}
        >
          {draft.items.map((it, i) => {
            const put = (change: Partial<Item>) => {
              setDraft({ ...draft, items: draft.items.map((x, j) => (j === i ? { ...x, ...change } : x)) });
            };
            const input = (key: "label" | "quantity" | "unit" | "discount" | "tax", label: string, width: string) => (
              <Field
                label={label}
                hidden={i > 0}
                className={width}
                value={it[key]}
                problem={problemAt(i, key)}
                onChange={(e) => {
                  put({ [key]: e.target.value });
                }}
              />
            );
            return (
              <div key={i} className="flex items-end gap-2">
                <Select
                  label={w.product}
                  hidden={i > 0}
                  className="w-36"
                  value={it.product_id ?? ""}
                  onChange={(e) => {
                    const p = products?.rows.find((x) => x.id === e.target.value);
                    put(
                      p
                        ? { product_id: p.id, label: p.name, unit: p.values["amount"] ?? it.unit }
                        : { product_id: null },
                    );
                  }}
                >
                  <option value="">{w.free}</option>
                  {products?.rows.map((p) => (
                    <option key={p.id} value={p.id}>
                      {p.name}
                    </option>
                  ))}
                </Select>
                {input("label", w.what, "min-w-0 flex-1")}
                {input("quantity", w.quantity, "w-18")}
                {input("unit", w.unit, "w-28")}
                {input("discount", w.discount, "w-18")}
                {input("tax", w.tax, "w-16")}
                <IconButton
                  label={w.removeLine(i + 1)}
                  className="mb-0.5"
                  onClick={() => {
                    setDraft({ ...draft, items: draft.items.filter((_, j) => j !== i) });
                  }}
                >
                  <Cross />
                </IconButton>
              </div>
            );
          })}
          {save.error && !field && (
            <p role="alert" className="text-ending">
              {save.error.message}
            </p>
          )}
          <div className="flex gap-2">
            <Button
              onClick={() => {
                const last = draft.items.at(-1);
                setDraft({
                  ...draft,
                  items: [
                    ...draft.items,
                    { product_id: null, label: "", quantity: "1", unit: "", discount: "0", tax: last?.tax ?? "0" },
                  ],
                });
              }}
            >
              {w.add}
            </Button>
            <span className="grow" />
            <Button
              onClick={() => {
                setDraft(undefined);
              }}
            >
              {t.cancel}
            </Button>
            <Button look="ours" type="submit" disabled={save.isPending}>
              {t.save}
            </Button>
          </div>
        </form>
      )}
    </section>
  );
}
