import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";

import { keys, refresh } from "../api/keys";
import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, Select } from "../ui/field";
import { clockTime, dayName } from "../ui/times";
import { useTell } from "../ui/toast";
import { type Kind, useFields } from "./values";
import { ValueInput } from "./value_input";

const m = t.book.make_;

/** The fields that are asked for first. */
const first: Record<Kind, string[]> = {
  contact: ["given", "family", "company", "email"],
  lead: ["given", "family", "company", "email", "source"],
  company: ["name", "place", "web"],
  deal: ["name", "company", "person", "amount", "due"],
  case: ["name", "company", "person"],
  product: ["name", "reference", "amount"],
  quote: ["name", "company", "person", "deal", "reference"],
  order: ["name", "way", "company", "person", "reference", "amount"],
  delivery: ["name", "reference", "company", "person", "order", "stage", "amount", "due"],
  invoice: ["name", "reference", "company", "person", "order", "stage", "amount", "due"],
  visit: ["name", "starts", "ends", "company", "person", "place"],
};

const hasNumbers = (k: Kind) => k === "contact" || k === "lead" || k === "company";

/** NewRecord makes a record in a few fields; who is probably meant by it is shown while it is typed. */
export function NewRecord({
  kind: given,
  prefill = {},
  names = {},
  number = "",
  stay = false,
  onClose,
  onMade,
}: {
  kind: Kind;
  prefill?: Record<string, string>;
  names?: Record<string, string>;
  number?: string;
  stay?: boolean;
  onClose: () => void;
  onMade?: (record: Schemas["Record"]) => void;
}) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const [kind, setKind] = useState(given);
  const [values, setValues] = useState(prefill);
  const [typed, setTyped] = useState(number);
  const [more, setMore] = useState(false);
  const [key] = useState(newKey);
  const fields = useFields(kind).filter((f) => !f.computed && f.type !== "phone");
  const body: Schemas["NewRecord"] = {
    kind,
    values: Object.fromEntries(Object.entries(values).filter(([k, v]) => v && fields.some((f) => f.key === k))),
    ...(typed.trim() && hasNumbers(kind)
      ? { numbers: [{ typed, label: kind === "company" ? "main" : "mobile" }] }
      : {}),
  };
  const asked = useDeferredValue(JSON.stringify(body));
  const worth = hasNumbers(kind) && (Object.keys(body.values).length > 0 || body.numbers !== undefined);
  const twins = useQuery({
    queryKey: keys.duplicates("check", asked),
    queryFn: () => ask(api.POST("/api/duplicates/check", { body: JSON.parse(asked) as Schemas["NewRecord"] })),
    enabled: worth,
    staleTime: 10_000,
  });
  const save = useMutation({
    mutationFn: () => ask(api.POST("/api/records", { params: { header: { "Idempotency-Key": key } }, body })),
    onSuccess: (made) => {
      refresh(client, keys.rows(), keys.record());
      client.setQueryData(keys.record(made.id), made);
      onClose();
      onMade?.(made);
      if (stay) {
        tell(t.book.bulk.done(m.title(kind), 1), {
          action: { label: m.open, run: () => void navigate({ to: "/records/$id", params: { id: made.id } }) },
        });
      } else void navigate({ to: "/records/$id", params: { id: made.id } });
    },
  });
  const wrong = save.error instanceof Failure ? save.error.problem?.field : undefined;
  const shown = fields.filter((f) => more || first[kind].includes(f.key) || f.required || wrong === f.key);
  shown.sort((a, b) => rank(kind, a.key) - rank(kind, b.key));
  const elsewhere =
    save.error && !shown.some((f) => f.key === wrong) && wrong !== "numbers" ? save.error.message : undefined;
  return (
    <Dialog
      open
      onClose={onClose}
      title={m.title(kind)}
      actions={
        <>
          {!more && (
            <Button
              look="quiet"
              onClick={() => {
                setMore(true);
              }}
            >
              {m.moreFields}
            </Button>
          )}
          <Button onClick={onClose}>{t.cancel}</Button>
          <Button look="ours" type="submit" form="new-record" disabled={save.isPending}>
            {twins.data && twins.data.length > 0 && worth ? m.saveAnyway : m.save}
          </Button>
        </>
      }
    >
      <form
        id="new-record"
        className="grid grid-cols-2 gap-x-3 gap-y-2.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        {(given === "contact" || given === "lead") && (
          <Select
            label={m.kind}
            className="col-span-2"
            value={kind}
            onChange={(e) => {
              setKind(e.target.value as Kind);
            }}
          >
            <option value="contact">{t.book.kind("contact")}</option>
            <option value="lead">{t.book.kind("lead")}</option>
          </Select>
        )}
        {shown.map((f, i) => (
          <div key={f.key} className={f.type === "long" || f.key === "name" ? "col-span-2" : ""}>
            <ValueInput
              def={f}
              autoFocus={i === 0}
              value={values[f.key] ?? ""}
              refName={names[f.key]}
              problem={wrong === f.key ? save.error?.message : undefined}
              onChange={(v) => {
                setValues({ ...values, [f.key]: v });
              }}
            />
          </div>
        ))}
        {hasNumbers(kind) && (
          <Field
            label={m.number}
            inputMode="tel"
            maxLength={80}
            value={typed}
            problem={wrong === "numbers" ? save.error?.message : undefined}
            onChange={(e) => {
              setTyped(e.target.value);
            }}
          />
        )}
        {kind === "visit" && values["starts"] && <MyDay at={values["starts"]} />}
        {elsewhere && (
          <p role="alert" className="col-span-2 text-ending">
            {elsewhere}
          </p>
        )}
        {worth && twins.data && twins.data.length > 0 && (
          <section aria-label={m.maybe} className="col-span-2 rounded-sm bg-waiting-soft px-3 py-2" data-testid="twins">
            <p className="font-semibold text-waiting">{m.maybe}</p>
            <ul>
              {twins.data.map((h) => (
                <li key={h.record.id} className="py-0.5">
                  <Link
                    to="/records/$id"
                    params={{ id: h.record.id }}
                    onClick={onClose}
                    className="name hover:underline"
                  >
                    {h.record.name}
                  </Link>{" "}
                  <span className="text-sm">
                    {h.record.company?.name} {h.record.numbers[0]?.display} · {m.because(h.reasons)}
                  </span>
                </li>
              ))}
            </ul>
          </section>
        )}
      </form>
    </Dialog>
  );
}

/** MyDay shows what else one has on the day of a visit. */
function MyDay({ at }: { at: string }) {
  const day = useQuery({ ...queries.myDay(at), enabled: !Number.isNaN(Date.parse(at)) }).data;
  if (!day) return null;
  return (
    <section aria-label={t.after.myDay.title(dayName(at))} className="col-span-2 rounded-sm bg-paper px-3 py-2">
      <p className="text-sm text-quiet">{t.after.myDay.title(dayName(at))}</p>
      {day.length === 0 && <p>{t.after.myDay.free}</p>}
      <ul>
        {day.map((x, i) => (
          <li key={i}>
            <span className="text-quiet">
              {clockTime(x.starts_at)}
              {x.ends_at && `–${clockTime(x.ends_at)}`}
            </span>{" "}
            {x.text}
            {x.place && <span className="text-quiet">, {x.place}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}

const rank = (kind: Kind, key: string) => {
  const i = first[kind].indexOf(key);
  return i < 0 ? 99 : i;
};
