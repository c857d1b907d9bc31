import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../api/client";
import { t } from "../texts";
import { Block } from "../ui/block";
import { IconButton } from "../ui/button";
import { Plus } from "../ui/icons";
import { Number } from "../ui/number";
import { NewRecord } from "./new_record";
import { type Kind, money } from "./values";

type Sheet = Schemas["Record"];

/** What may be made from a sheet of each kind, beside what is there. */
const offered: Partial<Record<Kind, Kind[]>> = {
  contact: ["deal", "case", "visit", "quote", "order", "delivery", "invoice"],
  lead: ["visit", "case"],
  company: ["deal", "case", "visit", "quote", "order", "delivery", "invoice"],
  deal: ["quote", "order", "visit"],
  order: ["delivery", "invoice"],
};

const order: Kind[] = ["deal", "case", "invoice", "delivery", "order", "visit", "quote", "company"];

/** Related are the deals, cases, papers and visits that belong to a record; open ones first. */
export function Related({ record }: { record: Sheet }) {
  const [making, setMaking] = useState<Kind>();
  const [all, setAll] = useState<Kind>();
  const prefill: Record<string, string> = {
    ...(record.kind === "company" ? { company: record.id } : {}),
    ...(record.kind === "contact" || record.kind === "lead"
      ? { person: record.id, ...(record.company ? { company: record.company.id } : {}) }
      : {}),
    ...(record.kind === "deal" || record.kind === "order"
      ? {
          [record.kind]: record.id,
          ...Object.fromEntries(
            record.values.filter((v) => ["company", "person"].includes(v.key) && v.value).map((v) => [v.key, v.value]),
          ),
        }
      : {}),
  };
  const kinds = order.filter((k) => record.related.some((r) => r.record.kind === k));
  const none = offered[record.kind]?.filter((k) => !kinds.includes(k)) ?? [];
  return (
    <>
      {kinds.map((k) => {
        const rows = record.related
          .filter((r) => r.record.kind === k)
          .sort((a, b) => globalThis.Number(b.open) - globalThis.Number(a.open));
        const shown = all === k ? rows : rows.slice(0, 3);
        return (
          <Block
            key={k}
            title={rows.length > 0 ? t.book.related(k, rows.length) : t.book.many(k)}
            act={
              offered[record.kind]?.includes(k) && (
                <IconButton
                  label={t.book.addRelated(k)}
                  onClick={() => {
                    setMaking(k);
                  }}
                >
                  <Plus />
                </IconButton>
              )
            }
          >
            <ul>
              {shown.map((r) => (
                <li key={r.record.id}>
                  <Link
                    to="/records/$id"
                    params={{ id: r.record.id }}
                    className={`block py-0.5 hover:underline ${r.open ? "" : "text-quiet"}`}
                  >
                    <span className="flex items-baseline justify-between gap-2">
                      <span className={`truncate ${r.open ? "name" : ""}`}>{r.record.name}</span>
                      <span className="shrink-0 text-sm text-quiet">
                        {k === "visit" ? r.text : r.text.includes(" ") ? money(r.text) : r.text}
                      </span>
                    </span>
                    <span className={`block text-sm ${r.late ? "font-semibold text-waiting" : "text-quiet"}`}>
                      {r.about}
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
            {rows.length > shown.length && (
              <button
                type="button"
                className="min-h-6 text-sm text-quiet hover:underline"
                onClick={() => {
                  setAll(k);
                }}
              >
                {t.history.more}
              </button>
            )}
          </Block>
        );
      })}
      {none.length > 0 && (
        <div className="flex flex-wrap gap-1.5">
          {none.map((k) => (
            <button
              key={k}
              type="button"
              aria-label={t.book.addRelated(k)}
              className="min-h-6 rounded-sm border border-dashed border-edge px-1.5 text-sm text-quiet hover:text-ink"
              onClick={() => {
                setMaking(k);
              }}
            >
              + {t.book.kind(k)}
            </button>
          ))}
        </div>
      )}
      {making && (
        <NewRecord
          kind={making}
          prefill={prefill}
          names={{
            ...(record.company ? { company: record.company.name } : {}),
            ...Object.fromEntries(record.values.flatMap((v) => (v.ref ? [[v.key, v.ref.name]] : []))),
            ...(record.kind === "company" ? { company: record.name } : {}),
            ...(record.kind === "deal" || record.kind === "order" ? { [record.kind]: record.name } : {}),
            ...(record.kind === "contact" || record.kind === "lead" ? { person: record.name } : {}),
          }}
          stay
          onClose={() => {
            setMaking(undefined);
          }}
        />
      )}
    </>
  );
}

/** PeopleHere are the people of a company, or those a deal or case is with, each callable. */
export function PeopleHere({ record }: { record: Sheet }) {
  const [making, setMaking] = useState(false);
  const own = record.kind === "company";
  const title = own ? t.record.people : t.book.withWhom;
  return (
    <section aria-label={title} className="mb-5" data-testid="people">
      <div className="flex items-center justify-between border-b border-rule-strong pb-1">
        <h2 className="text-quiet">{title}</h2>
        {own && (
          <IconButton
            label={t.book.make("contact")}
            onClick={() => {
              setMaking(true);
            }}
          >
            <Plus />
          </IconButton>
        )}
      </div>
      {record.people.length === 0 && <p className="py-2 text-quiet">{t.record.noPeople}</p>}
      <ul>
        {record.people.map((p) => (
          <li key={p.id} className="grid grid-cols-[1fr_1fr_1.3fr] items-baseline gap-3 border-b border-rule py-1.5">
            <Link to="/records/$id" params={{ id: p.id }} className="name truncate hover:underline">
              {p.name}
            </Link>
            <span className="truncate text-quiet">{p.job}</span>
            <span className="flex h-6 flex-wrap gap-x-3 overflow-hidden">
              {p.numbers.slice(0, 2).map((n) => (
                <Number key={n.id} number={n} name={p.name} />
              ))}
            </span>
          </li>
        ))}
      </ul>
      {making && (
        <NewRecord
          kind="contact"
          prefill={{ company: record.id }}
          names={{ company: record.name }}
          stay
          onClose={() => {
            setMaking(false);
          }}
        />
      )}
    </section>
  );
}
