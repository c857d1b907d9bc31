import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, Failure, newKey, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { roles as s } from "../texts/roles";
import { Button } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { Tabs } from "../ui/tabs";
import { useTell } from "../ui/toast";

type Role = Schemas["Role"];
type Definition = Schemas["RightDefinition"];
type Reach = Schemas["Reach"];

const areas = ["calls", "book", "work", "firm", "set_up"] as const;
const fresh: Role = { key: "", name: "", rights: {}, shipped: false, fixed: false, members: 0, version: 0 };

/** RoleSettings are what somebody of the firm may be, and what each role may do. */
export function RoleSettings() {
  const all = useQuery(queries.roles);
  const [chosen, setChosen] = useState<string>();
  if (all.isPending) return <Loading />;
  if (!all.data) return <Failed error={all.error} retry={() => void all.refetch()} />;
  const { roles, definitions } = all.data;
  const role = chosen === "" ? fresh : (roles.find((r) => r.key === chosen) ?? roles[0]);
  return (
    <div className="max-w-4xl">
      <p className="mb-3 max-w-prose">{s.intro}</p>
      <div className="grid grid-cols-[11rem_minmax(0,1fr)] gap-6 max-[48rem]:grid-cols-1">
        <div>
          <Tabs
            beside
            label={s.list}
            value={role?.key ?? ""}
            onChange={setChosen}
            options={[
              ...roles.map((r) => ({ value: r.key, label: `${r.name} · ${String(r.members)}` })),
              ...(chosen === "" ? [{ value: "", label: s.fresh }] : []),
            ]}
          />
          <Button
            className="mt-3"
            onClick={() => {
              setChosen("");
            }}
          >
            {s.add}
          </Button>
        </div>
        {role && (
          <RoleForm
            key={`${role.key} ${String(role.version)}`}
            role={role}
            definitions={definitions}
            onSaved={(saved) => {
              setChosen(saved?.key);
            }}
          />
        )}
      </div>
    </div>
  );
}

function RoleForm({
  role,
  definitions,
  onSaved,
}: {
  role: Role;
  definitions: Definition[];
  onSaved: (saved: Role | undefined) => void;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const [key] = useState(newKey);
  const [name, setName] = useState(role.name);
  const [rights, setRights] = useState(role.rights);
  const done = (saved: Role | undefined, words: string) => {
    tell(words);
    refresh(client, keys.roles(), keys.me(), keys.staff());
    onSaved(saved);
  };
  const save = useMutation({
    mutationFn: (asShipped: boolean) => {
      const body = asShipped
        ? { name, as_shipped: true, version: role.version }
        : { name, rights, ...(role.key ? { version: role.version } : {}) };
      return role.key
        ? ask(api.PUT("/api/roles/{key}", { params: { path: { key: role.key } }, body }))
        : ask(api.POST("/api/roles", { params: { header: { "Idempotency-Key": key } }, body }));
    },
    onSuccess: (saved) => {
      done(saved, s.saved);
    },
    onError: (e) => {
      if (e instanceof Failure && e.code === "stale_version") refresh(client, keys.roles());
    },
  });
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/roles/{key}", { params: { path: { key: role.key } } })),
    onSuccess: () => {
      done(undefined, s.removed(role.name));
    },
  });
  const failure = [save.error, remove.error].find((e) => e instanceof Failure);
  const field = failure instanceof Failure ? failure.problem?.field : undefined;
  return (
    <form
      data-testid="role-form"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate(false);
      }}
    >
      <Field
        label={s.name}
        value={name}
        required
        maxLength={60}
        className="w-72"
        problem={field === "name" ? failure?.message : undefined}
        onChange={(e) => {
          setName(e.target.value);
        }}
      />
      <p className="mt-1 text-sm text-quiet">{role.fixed ? s.fixed : s.members(role.members)}</p>
      {areas.map((area) => (
        <fieldset key={area} className="mt-4" disabled={role.fixed}>
          <legend className="mb-1 font-semibold">{s.areas[area]}</legend>
          {definitions
            .filter((d) => d.area === area)
            .map((d) => (
              <Right
                key={d.right}
                definition={d}
                value={rights[d.right]}
                onChange={(reach) => {
                  const rest = Object.fromEntries(Object.entries(rights).filter(([r]) => r !== d.right));
                  setRights(reach ? { ...rest, [d.right]: reach } : rest);
                }}
              />
            ))}
        </fieldset>
      ))}
      {failure && field !== "name" && (
        <p role="alert" className="mt-3 text-ending">
          {failure instanceof Failure && failure.code === "stale_version" ? s.conflict : failure.message}
        </p>
      )}
      <div className="mt-4 flex flex-wrap items-center gap-2">
        <Button type="submit" look="ours" disabled={save.isPending}>
          {role.key ? s.save : s.add}
        </Button>
        {role.shipped && !role.fixed && (
          <Button
            disabled={save.isPending}
            onClick={() => {
              save.mutate(true);
            }}
          >
            {s.shipped}
          </Button>
        )}
        <span className="flex-1" />
        {role.key && !role.shipped && (
          <Button
            look="quiet"
            disabled={remove.isPending}
            onClick={() => {
              remove.mutate();
            }}
          >
            {s.remove}
          </Button>
        )}
      </div>
    </form>
  );
}

/** Right is one of a role's, with how far it goes. */
function Right({
  definition: d,
  value,
  onChange,
}: {
  definition: Definition;
  value: Reach | undefined;
  onChange: (reach: Reach | undefined) => void;
}) {
  const told = s.rights[d.right] ?? { label: d.right };
  return (
    <div className="flex items-center gap-3 border-b border-rule py-1">
      <div className="min-w-0 flex-1">
        {told.label}
        {told.help && <p className="text-sm text-quiet">{told.help}</p>}
      </div>
      <Select
        label={told.label}
        hidden
        className="w-40 shrink-0"
        value={value ?? ""}
        onChange={(e) => {
          onChange((e.target.value || undefined) as Reach | undefined);
        }}
      >
        <option value="">{s.reach["none"]}</option>
        {d.reaches.map((r) => (
          <option key={r} value={r}>
            {d.reaches.length === 1 ? s.yes : s.reach[r]}
          </option>
        ))}
      </Select>
    </div>
  );
}
