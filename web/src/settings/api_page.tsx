import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { t } from "../texts";
import { Field } from "../ui/field";
import { Failed, Loading } from "../ui/states";

const p = t.after.programs;

type Schema = {
  $ref?: string;
  type?: string;
  description?: string;
  enum?: string[];
  items?: Schema;
  allOf?: Schema[];
  properties?: Record<string, Schema>;
  required?: string[];
  format?: string;
  nullable?: boolean;
};
type Operation = {
  operationId?: string;
  summary?: string;
  parameters?: { name?: string; in?: string; $ref?: string; description?: string; required?: boolean }[];
  requestBody?: { content?: Record<string, { schema?: Schema }> };
  responses?: Record<string, { description?: string; content?: Record<string, { schema?: Schema }> }>;
};
type Spec = {
  info: { title: string; version: string; description?: string };
  paths: Record<string, Record<string, Operation>>;
  components: { schemas: Record<string, Schema> };
};

const methods = ["get", "post", "put", "patch", "delete"] as const;

/** ApiPage describes the API by its own contract, as the program serves it. */
export function ApiPage() {
  const [find, setFind] = useState("");
  const spec = useQuery({
    queryKey: keys.openapi(),
    queryFn: async () => {
      const answer = await fetch("/api/openapi.json");
      if (!answer.ok) throw new Error(t.failed.unknown);
      return (await answer.json()) as Spec;
    },
    staleTime: Infinity,
  });
  if (spec.isPending) return <Loading />;
  if (!spec.data) return <Failed error={spec.error} retry={() => void spec.refetch()} />;
  const { info, paths, components } = spec.data;
  const wanted = find.trim().toLowerCase();
  const operations = Object.entries(paths).flatMap(([path, of]) =>
    methods.flatMap((method) => {
      const op = of[method];
      const text = `${method} ${path} ${op?.operationId ?? ""} ${op?.summary ?? ""}`.toLowerCase();
      return op && text.includes(wanted) ? [{ path, method, op }] : [];
    }),
  );
  return (
    <div className="max-w-4xl">
      <h1 className="name text-xl">{p.apiTitle}</h1>
      <p className="my-2 whitespace-pre-line">{info.description}</p>
      <p className="my-2">{p.apiKeys}</p>
      <pre className="my-2 rounded-sm bg-paper p-2 font-mono text-xs">{`curl -H "Authorization: Bearer trundo_…" ${location.origin}/api/lane`}</pre>
      <p>
        <a href="/api/openapi.json" className="text-ours underline underline-offset-3">
          {p.apiFile}
        </a>
      </p>
      <Field
        label={p.apiFind}
        className="my-3 w-80"
        value={find}
        onChange={(e) => {
          setFind(e.target.value);
        }}
      />
      <ul data-testid="operations">
        {operations.map(({ path, method, op }) => (
          <li key={`${method} ${path}`} className="border-b border-rule py-1">
            <details>
              <summary className="min-h-6 cursor-pointer">
                <code className="font-mono text-sm">
                  <strong>{method.toUpperCase()}</strong> {path}
                </code>{" "}
                <span className="text-quiet">{op.summary ?? op.operationId}</span>
              </summary>
              <Described op={op} schemas={components.schemas} />
            </details>
          </li>
        ))}
      </ul>
    </div>
  );
}

const nameOf = (ref: string) => ref.split("/").at(-1) ?? ref;

function Described({ op, schemas }: { op: Operation; schemas: Record<string, Schema> }) {
  const body = op.requestBody?.content?.["application/json"]?.schema;
  const good = Object.entries(op.responses ?? {}).find(([code]) => code.startsWith("2"));
  const answer = good?.[1].content?.["application/json"]?.schema;
  return (
    <div className="py-2 pl-4">
      {op.parameters?.length ? (
        <p>
          {p.parameters}: {op.parameters.map((x) => x.name ?? (x.$ref ? nameOf(x.$ref) : "")).join(", ")}
        </p>
      ) : null}
      {body && (
        <>
          <p className="mt-1 text-quiet">{p.body}</p>
          <Shape schema={body} schemas={schemas} depth={0} />
        </>
      )}
      {good && (
        <>
          <p className="mt-1 text-quiet">
            {p.answer} {good[0]}: {good[1].description}
          </p>
          {answer && <Shape schema={answer} schemas={schemas} depth={0} />}
        </>
      )}
    </div>
  );
}

/** Shape writes a schema as a list of fields, each with its type; named parts are followed one level. */
function Shape({ schema, schemas, depth }: { schema: Schema; schemas: Record<string, Schema>; depth: number }) {
  const own = schema.$ref ? (schemas[nameOf(schema.$ref)] ?? {}) : schema;
  const item = own.type === "array" && own.items ? own.items : undefined;
  if (item) return <Shape schema={item} schemas={schemas} depth={depth} />;
  if (!own.properties) return <p className="font-mono text-xs">{typeOf(own)}</p>;
  return (
    <ul className={depth > 0 ? "border-l border-rule pl-3" : ""}>
      {Object.entries(own.properties).map(([name, field]) => (
        <li key={name} className="text-sm">
          <code className="font-mono text-xs">
            {name}
            {own.required?.includes(name) ? "" : "?"}: {typeOf(field)}
          </code>{" "}
          <span className="text-quiet">{field.description}</span>
        </li>
      ))}
    </ul>
  );
}

function typeOf(s: Schema): string {
  if (s.$ref) return nameOf(s.$ref);
  if (s.allOf?.[0]) return `${typeOf(s.allOf[0])}${s.nullable ? " | null" : ""}`;
  if (s.enum) return s.enum.map((x) => `"${x}"`).join(" | ");
  if (s.type === "array") return `${s.items ? typeOf(s.items) : "any"}[]`;
  return `${s.format ?? s.type ?? "any"}${s.nullable ? " | null" : ""}`;
}
