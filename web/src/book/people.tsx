import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { Rows } from "../lists/rows";
import { SaveView } from "../lists/save_view";
import { t } from "../texts";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { Tabs } from "../ui/tabs";
import { NewRecord } from "./new_record";
import type { ListKind } from "./values";

const kinds: ListKind[] = [
  "people",
  "company",
  "deal",
  "case",
  "quote",
  "order",
  "delivery",
  "invoice",
  "product",
  "visit",
];

/** People is the book: people first, and every other kind of record. */
export function People() {
  const navigate = useNavigate();
  const search = useSearch({ from: "/frame/people" });
  const kind = search.kind ?? "people";
  const [making, setMaking] = useState(false);
  const { hint } = useKeys();
  useKey("add", () => {
    setMaking(true);
  });
  return (
    <>
      <Rows
        key={kind}
        kind={kind}
        view={search}
        onView={(next, replace) =>
          void navigate({ to: "/people", search: { ...next, kind: kind === "people" ? undefined : kind }, replace })
        }
        title={
          <>
            <h1 className="sr-only">{t.people.title}</h1>
            <Tabs
              label={t.book.list.sections}
              value={kind}
              onChange={(next) =>
                void navigate({
                  to: "/people",
                  search: next === "people" ? {} : { kind: next as Exclude<ListKind, "people"> },
                })
              }
              options={kinds.map((k) => ({ value: k, label: t.book.many(k) }))}
            />
          </>
        }
        tools={
          <Button
            hint={hint("add")}
            onClick={() => {
              setMaking(true);
            }}
          >
            {t.book.make(kind)}
          </Button>
        }
        save={<SaveView kind={kind} view={search} />}
      />
      {making && (
        <NewRecord
          kind={kind === "people" ? "contact" : kind}
          onClose={() => {
            setMaking(false);
          }}
        />
      )}
    </>
  );
}
