import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { type Kind } from "./values";
import { t } from "../texts";
import { Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { dayShort } from "../ui/times";

const w = t.book.imports;
const kinds: Kind[] = [
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

type Format = Schemas["NewImport"]["format"];

const formatOf = (name: string): Format =>
  /\.(vcf|vcard)$/i.test(name) ? "vcard" : /\.(jsonl|ndjson|json)$/i.test(name) ? "jsonl" : "csv";

/** sendFile sends a file as it is, telling how much has gone; it can be larger than memory. */
function sendFile(id: string, file: File, onProgress: (percent: number) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("PUT", `/api/imports/${id}/file`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (e) => {
      if (e.lengthComputable) onProgress(Math.floor((100 * e.loaded) / e.total));
    };
    request.onload = () => {
      if (request.status < 300) resolve();
      else {
        try {
          reject(new Failure(JSON.parse(request.responseText) as Schemas["Problem"]));
        } catch {
          reject(new Failure(undefined));
        }
      }
    };
    request.onerror = () => {
      reject(new Failure(undefined));
    };
    request.send(file);
  });
}

/** Imports is where a file is brought in, and where earlier ones are seen. */
export function Imports() {
  const navigate = useNavigate();
  const { mends, kind: given } = useSearch({ from: "/frame/imports" });
  const list = useQuery(queries.imports);
  const [kind, setKind] = useState<Kind>(given ?? "contact");
  const [sending, setSending] = useState<number>();
  const [problem, setProblem] = useState<string>();
  const bring = async (file: File) => {
    setProblem(undefined);
    setSending(0);
    try {
      const made = await ask(
        api.POST("/api/imports", {
          body: { kind, format: formatOf(file.name), file_name: file.name, ...(mends ? { mends } : {}) },
        }),
      );
      await sendFile(made.id, file, setSending);
      await navigate({ to: "/imports/$id", params: { id: made.id } });
    } catch (e) {
      setProblem(e instanceof Failure ? e.message : t.failed.unknown);
    } finally {
      setSending(undefined);
    }
  };
  if (list.error instanceof Failure && list.error.code === "forbidden") {
    return <Failed error={list.error} title={w.forbidden} />;
  }
  return (
    <>
      <h1 className="name text-xl">{w.title}</h1>
      <p className="mt-1 text-quiet">{w.intro}</p>
      <div className="mt-4 flex flex-wrap items-end gap-3 rounded-md border border-rule-strong bg-paper px-4 py-3">
        <Select
          label={w.kind}
          className="w-44"
          value={kind}
          onChange={(e) => {
            setKind(e.target.value as Kind);
          }}
        >
          {kinds.map((k) => (
            <option key={k} value={k}>
              {t.book.many(k)}
            </option>
          ))}
        </Select>
        <label className="inline-flex min-h-7 cursor-pointer items-center rounded-sm border border-ours bg-ours px-2.5 font-semibold text-on-ours focus-within:outline-2 focus-within:outline-offset-2 focus-within:outline-ours">
          {sending === undefined ? w.choose : w.sending(sending)}
          <input
            type="file"
            className="sr-only"
            accept=".csv,.tsv,.txt,.vcf,.vcard,.jsonl,.ndjson,.json"
            disabled={sending !== undefined}
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) void bring(file);
            }}
          />
        </label>
        {problem && (
          <p role="alert" className="text-ending">
            {problem}
          </p>
        )}
      </div>
      <h2 className="mt-6 border-b border-rule-strong pb-1 text-quiet">{w.earlier}</h2>
      {list.isPending && <Loading />}
      {list.isError && <Failed error={list.error} retry={() => void list.refetch()} />}
      {list.data?.length === 0 && <Empty>{w.none}</Empty>}
      <ul>
        {list.data?.map((i) => (
          <li key={i.id} className="border-b border-rule">
            <Link
              to="/imports/$id"
              params={{ id: i.id }}
              className="grid grid-cols-[minmax(0,1.5fr)_7rem_1fr_9rem] items-baseline gap-3 py-1.5 hover:bg-paper"
            >
              <span className="name truncate">{i.file_name}</span>
              <span className="text-quiet">{t.book.many(i.kind)}</span>
              <span>
                {i.state === "done" ? w.done(i.rows_made, i.rows_updated, i.rows_skipped) : w.states[i.state]}
              </span>
              <span className="text-quiet">
                {dayShort(i.created_at)} · {i.user_name.split(" ")[0]}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}
