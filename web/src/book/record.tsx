import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useEffect, useState } from "react";

import { Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { shortTime } from "../ui/times";
import { ScriptOf } from "../filing/script_panel";
import { Composer } from "../outreach/composer";
import { Deleted } from "./remove_dialog";
import { Memberships } from "../outreach/memberships";
import { useKey } from "../shell/keys";
import { rememberRecord, useTrail } from "../shell/trail";
import { Button } from "../ui/button";
import { Failed, Loading } from "../ui/states";
import { FollowUps } from "./follow_ups";
import { History } from "./history";
import { Items } from "./items";
import { RecordActs } from "./record_acts";
import { RecordFields, Shown } from "./record_fields";
import { RecordNumbers } from "./record_numbers";
import { PeopleHere, Related } from "./related";
import { useFields } from "./values";

type Record = Schemas["Record"];

/** RecordSheet is the page of a record. */
export function RecordSheet() {
  const { id } = useParams({ from: "/frame/records/$id" });
  const { show } = useSearch({ from: "/frame/records/$id" });
  return <RecordView id={id} show={show} page />;
}

/** RecordView is a record of any kind: numbers, history, and what is known and owed at the right; on a page of its own, or on that of a round. */
export function RecordView({
  id,
  show,
  page = false,
  heading: Heading = "h1",
  note,
}: {
  id: string;
  show?: "message" | undefined;
  page?: boolean;
  heading?: "h1" | "h2";
  note?: string;
}) {
  const [writing, setWriting] = useState(false);
  const record = useQuery(queries.record(id));
  const navigate = useNavigate();
  const data = record.data;
  const trail = useTrail(data?.id ?? id);
  useEffect(() => {
    if (data) rememberRecord({ id: data.id, kind: data.kind, name: data.name });
    // It was merged into another: that one's address is shown from now on.
    if (page && data && data.id !== id) void navigate({ to: "/records/$id", params: { id: data.id }, replace: true });
  }, [data, id, navigate, page]);
  const other = data?.company?.id ?? trail.find((r) => r.kind !== "company" && r.id !== id)?.id;
  useKey("company", other ? () => void navigate({ to: "/records/$id", params: { id: other } }) : undefined);
  if (record.isPending) return <Loading />;
  if (record.error instanceof Failure && record.error.code === "deleted")
    return <Deleted id={id} error={record.error} retry={() => void record.refetch()} />;
  if (!data) return <Failed error={record.error} retry={() => void record.refetch()} title={t.record.gone} />;
  const person = data.kind === "contact" || data.kind === "lead";
  return (
    <>
      {page && trail.length > 1 && (
        <nav aria-label={t.record.trail} className="mb-1 flex gap-2 text-sm text-quiet">
          {trail.map((r) => (
            <Link
              key={r.id}
              to="/records/$id"
              params={{ id: r.id }}
              className="max-w-40 truncate hover:underline data-[status=active]:font-semibold"
            >
              {r.name}
            </Link>
          ))}
        </nav>
      )}
      <div className="flex flex-wrap items-start justify-between gap-x-6">
        <Heading className="name min-w-0 text-xl break-words">
          {data.name}
          {!person && <span className="ml-3 text-base font-normal text-quiet">{t.book.kind(data.kind)}</span>}
        </Heading>
        <div className="flex flex-wrap items-center gap-2">
          <span className="mr-2 text-quiet">
            {[data.owner_name && t.record.owner(data.owner_name), data.source && t.record.from(data.source)]
              .filter(Boolean)
              .join(" · ")}
          </span>
          {person && (
            <Button
              onClick={() => {
                setWriting(true);
              }}
            >
              {t.after.post.write}
            </Button>
          )}
          <RecordActs record={data} />
          {writing && (
            <Composer
              channel={data.values.some((v) => v.key === "email" && v.text) ? "mail" : "text"}
              to={{ record: data }}
              onClose={() => {
                setWriting(false);
              }}
            />
          )}
        </div>
      </div>
      {note && <p className="text-sm text-quiet">{note}</p>}
      <TopLine record={data} />
      {data.refused && (
        <p className="mt-2 rounded-sm bg-ending-soft px-3 py-1.5 text-ending">{t.record.refused(data.refused)}</p>
      )}
      <RecordNumbers record={data} />
      <Twin record={data} />
      <ScriptOf record={data.id} />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_15.5rem] gap-7 max-[63.9rem]:grid-cols-1">
        <div className="min-w-0">
          {(data.kind === "company" || data.people.length > 0) && <PeopleHere record={data} />}
          {(data.kind === "quote" || data.kind === "order") && <Items record={data} />}
          <History key={`${data.id} ${show ?? ""}`} record={data.id} show={show} />
        </div>
        <aside className="flex flex-col gap-5 border-rule-strong min-[64rem]:border-l min-[64rem]:pl-5">
          <FollowUps record={data} />
          <Promises record={data} />
          {person && <Memberships record={data.id} />}
          <Related record={data} />
          <RecordFields record={data} />
        </aside>
      </div>
    </>
  );
}

const scoreTones = {
  "would recommend": "font-semibold text-theirs",
  undecided: "font-semibold text-waiting",
  "would not": "font-semibold text-ending",
};

/** TopLine says under the name what the admin has put there, and the calls so far. */
function TopLine({ record }: { record: Record }) {
  const fields = useFields(record.kind);
  const parts = fields.flatMap((def) => {
    const value = record.values.find((v) => v.key === def.key);
    return def.place === "top" && value?.text && !["given", "family", "name"].includes(def.key) ? [{ def, value }] : [];
  });
  return (
    <p className="text-quiet">
      {parts.map(({ def, value }, i) => (
        <span key={def.key}>
          {i > 0 && " · "}
          <Shown def={def} value={value} />
        </span>
      ))}
      {record.kind !== "product" &&
        `${parts.length > 0 ? " · " : ""}${t.record.touches(record.touches, record.conversations)}`}
      {record.satisfaction && (
        <span data-testid="satisfaction" className={scoreTones[record.satisfaction.tone]}>
          {` · ${t.record.score(record.satisfaction.tone, record.satisfaction.score)}`}
        </span>
      )}
    </p>
  );
}

/** Promises says how what was promised to somebody stands. */
function Promises({ record }: { record: Record }) {
  const person = record.kind === "contact" || record.kind === "lead" || record.kind === "company";
  const ledger = useQuery({ ...queries.promises({ record_id: record.id }), enabled: person }).data;
  const c = ledger?.counts;
  if (!c || c.kept + c.late + c.broken + c.open === 0) return null;
  return (
    <details className="mt-3" data-testid="promises">
      <summary className={c.late + c.broken > 0 ? "text-waiting" : "text-quiet"}>{t.record.promises(c)}</summary>
      <ul>
        {ledger.newest.slice(0, 10).map((f) => (
          <li key={f.id} className="border-b border-rule py-1 text-sm">
            {f.text} <span className="text-quiet">{t.record.promiseStates[f.promise]}</span>
            <span className="block text-quiet">
              {f.owner_name}
              {f.due_at && `, ${shortTime(f.due_at)}`}
            </span>
          </li>
        ))}
      </ul>
    </details>
  );
}

/** Twin says that somebody is probably in the book twice. */
function Twin({ record }: { record: Record }) {
  const can = record.kind === "contact" || record.kind === "lead" || record.kind === "company";
  const twin = useQuery({ ...queries.duplicatesOf(record.id), enabled: can }).data?.[0];
  if (!twin) return null;
  return (
    <p
      className="mt-2 flex flex-wrap items-center gap-x-3 rounded-sm bg-waiting-soft px-3 py-1 text-waiting"
      data-testid="twin"
    >
      <span>
        {t.book.twice(twin.record.name)}: {twin.reasons.join(", ")}
      </span>
      <Link
        to="/merge"
        search={{ a: record.id, b: twin.record.id }}
        className="min-h-6 font-semibold underline underline-offset-3"
      >
        {t.book.lookAtBoth}
      </Link>
    </p>
  );
}
