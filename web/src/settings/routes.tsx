import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { routes as r } from "../texts/routes";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Field, Select } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { RouteEditor } from "./route_editor";

/** RouteSettings are the firm's routes: the list, or the one that is open. */
export function RouteSettings() {
  const navigate = useNavigate();
  const open = useSearch({ from: "/frame/settings" }).route;
  const go = (route?: string) => void navigate({ to: "/settings", search: { tab: "routes", route } });
  if (open)
    return (
      <RouteEditor
        id={open}
        onBack={() => {
          go();
        }}
      />
    );
  return <RouteList onOpen={go} />;
}

function RouteList({ onOpen }: { onOpen: (id: string) => void }) {
  const routes = useQuery(queries.routes);
  if (routes.isPending) return <Loading />;
  if (!routes.data) return <Failed error={routes.error} retry={() => void routes.refetch()} />;
  return (
    <div className="max-w-3xl">
      <p className="mb-3 text-quiet">{r.intro}</p>
      {routes.data.length === 0 && <Empty>{r.none}</Empty>}
      <ul aria-label={r.tab}>
        {routes.data.map((x) => (
          <li key={x.id} className="border-b border-rule">
            <button
              type="button"
              className="flex min-h-11 w-full flex-wrap items-baseline gap-x-3 px-1.5 py-1.5 text-left hover:bg-rule/40"
              onClick={() => {
                onOpen(x.id);
              }}
            >
              <span className="name">{x.name}</span>
              <Badge tone={x.live ? "theirs" : "quiet"}>{x.live ? r.live(x.live) : r.notLive}</Badge>
              {x.changed && x.live !== undefined && <Badge tone="waiting">{r.changed}</Badge>}
              {x.faults > 0 && <span className="text-sm text-ending">{r.problems(x.faults)}</span>}
              <span className="ml-auto text-sm text-quiet">
                {x.lines.length > 0 ? r.lines(x.lines.join(", ")) : r.noLines}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <NewRoute onMade={onOpen} />
    </div>
  );
}

function NewRoute({ onMade }: { onMade: (id: string) => void }) {
  const client = useQueryClient();
  const lines = useQuery(queries.lines).data ?? [];
  const [name, setName] = useState("");
  const [from, setFrom] = useState("");
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/routes", { body: { name, ...(from ? { line_id: from } : {}) } })),
    onSuccess: (made) => {
      client.setQueryData(keys.route(made.id), made);
      void client.invalidateQueries({ queryKey: keys.routes() });
      onMade(made.id);
    },
  });
  return (
    <form
      className="mt-4 flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (name.trim() && !make.isPending) make.mutate();
      }}
    >
      <Field
        label={r.add}
        maxLength={60}
        className="w-64"
        value={name}
        problem={make.error?.message}
        onChange={(e) => {
          setName(e.target.value);
        }}
      />
      <Select
        label={r.from}
        className="w-64"
        value={from}
        onChange={(e) => {
          setFrom(e.target.value);
        }}
      >
        <option value="">{r.empty}</option>
        {lines.map((l) => (
          <option key={l.id} value={l.id}>
            {r.fromLine(l.label)}
          </option>
        ))}
      </Select>
      <Button look="ours" type="submit" disabled={!name.trim() || make.isPending}>
        {r.make}
      </Button>
    </form>
  );
}
