import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { ColleaguePick } from "../team/colleague_pick";
import { trail as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayShort } from "../ui/times";

type Entry = Schemas["TrailEntry"];

/** TrailSettings are what was done, by whom and when. */
export function TrailSettings() {
  const [who, setWho] = useState("");
  const [kind, setKind] = useState("");
  const [text, setText] = useState("");
  const q = useDeferredValue(text.trim());
  const staff = useQuery(queries.staff).data?.members ?? [];
  const asked = { ...(who ? { who } : {}), ...(kind ? { kind } : {}), ...(q ? { q } : {}) };
  const trail = useInfiniteQuery(queries.trail(asked));
  const entries = trail.data?.pages.flatMap((p) => p.entries) ?? [];
  const kinds = trail.data?.pages[0]?.kinds ?? [];
  const file = new URLSearchParams(asked).toString();
  return (
    <div className="max-w-5xl">
      <p className="mb-3 max-w-prose">{s.intro}</p>
      <div className="mb-2 flex flex-wrap items-end gap-3">
        <Field
          label={s.search}
          type="search"
          className="w-56"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <ColleaguePick
          label={s.who}
          className="w-56"
          value={who}
          none={s.anybody}
          past={staff.filter((m) => !m.active)}
          onChange={setWho}
        />
        <Select
          label={s.kind}
          className="w-44"
          value={kind}
          onChange={(e) => {
            setKind(e.target.value);
          }}
        >
          <option value="">{s.anything}</option>
          {kinds.map((k) => (
            <option key={k} value={k}>
              {s.kinds[k] ?? k}
            </option>
          ))}
        </Select>
        <span className="flex-1" />
        <a
          href={`/api/trail.csv${file ? `?${file}` : ""}`}
          download
          className="inline-flex min-h-7 items-center rounded-sm border border-rule-strong bg-paper px-2.5 hover:border-edge"
        >
          {s.file}
        </a>
      </div>
      {trail.isPending && <Loading />}
      {trail.isError && !trail.data && <Failed error={trail.error} retry={() => void trail.refetch()} />}
      {trail.data && entries.length === 0 && <Empty>{s.none}</Empty>}
      <ol data-testid="trail">
        {entries.map((e) => (
          <Row key={e.id} entry={e} />
        ))}
      </ol>
      {trail.hasNextPage && (
        <Button className="mt-3" disabled={trail.isFetchingNextPage} onClick={() => void trail.fetchNextPage()}>
          {s.more}
        </Button>
      )}
    </div>
  );
}

function Row({ entry: e }: { entry: Entry }) {
  const kind = s.kinds[e.kind] ?? e.kind;
  const own = e.subject !== "" && e.subject === e.who; // what somebody did to themselves needs no name
  const name = own ? "" : e.subject || kind;
  const way = "font-semibold hover:text-ours hover:underline";
  return (
    <li className="flex gap-3 border-b border-rule py-1.5">
      <span className="w-32 shrink-0 text-quiet">
        {dayShort(e.at)} {clockTime(e.at)}
      </span>
      <span className="w-36 shrink-0 truncate" title={e.who}>
        {e.who || s.program}
      </span>
      <span className="min-w-0 flex-1">
        {e.record_id ? (
          <Link to="/records/$id" params={{ id: e.record_id }} className={way}>
            {name}
          </Link>
        ) : e.call_id ? (
          <Link to="/calls/$id" params={{ id: e.call_id }} className={way}>
            {name}
          </Link>
        ) : (
          name && <span className="font-semibold">{name}</span>
        )}{" "}
        {e.subject && !own && <span className="text-quiet">{kind}</span>} {e.what}
        {e.changes.length > 0 && (
          <span className="block text-sm break-words text-quiet">
            {e.changes
              .slice(0, 12)
              .map((c) => (c.before ? s.change(c.field, c.before, c.after || s.empty) : `${c.field}: ${c.after}`))
              .join("; ")}
          </span>
        )}
      </span>
    </li>
  );
}
