import { useState } from "react";

import { RefInput } from "../book/value_input";
import { type FieldDef, useBook } from "../book/values";
import { ColleaguePick } from "../team/colleague_pick";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { type Condition, type Group, groupOf, isGroup, needsValue, type Node, partsOf } from "./filter";

const w = t.book.filter;

/** FilterPanel is where a filter is put together: conditions in groups, each of all or of any. Without words of its own, of what
 * is filtered, it is that of a list. */
export function FilterPanel({
  fields,
  filter,
  onChange,
  problem,
  when,
}: {
  fields: FieldDef[];
  filter: Group;
  onChange: (next: Group) => void;
  problem?: string | undefined;
  when?: string;
}) {
  return (
    <section
      aria-label={when ?? t.book.list.filter}
      className="mb-2 rounded-md border border-rule-strong bg-paper px-3 py-2"
      data-testid="filter"
    >
      <GroupEditor fields={fields} group={filter} onChange={onChange} depth={1} when={when} />
      {problem && (
        <p role="alert" className="mt-1 text-sm text-ending">
          {problem}
        </p>
      )}
    </section>
  );
}

function GroupEditor({
  fields,
  group,
  onChange,
  onRemove,
  depth,
  when,
}: {
  fields: FieldDef[];
  group: Group;
  onChange: (next: Group) => void;
  onRemove?: () => void;
  depth: number;
  when?: string | undefined;
}) {
  const any = group.any !== undefined;
  const parts = partsOf(group);
  const put = (i: number, n: Node | undefined) => {
    onChange(groupOf(n ? parts.map((x, j) => (j === i ? n : x)) : parts.filter((_, j) => j !== i), any));
  };
  const first = fields.find((f) => f.ops.length > 0);
  const fresh = (): Condition => ({ field: first?.key ?? "", op: first?.ops[0] ?? "is", value: "" });
  return (
    <div className={depth > 1 ? "border-l-2 border-rule-strong pl-3" : ""}>
      <div className="flex flex-wrap items-center gap-2">
        <span className="text-quiet">{depth === 1 ? (when ?? w.when) : ""}</span>
        <Select
          label={when ?? w.when}
          hidden
          value={any ? "any" : "all"}
          onChange={(e) => {
            onChange(groupOf(parts, e.target.value === "any"));
          }}
        >
          <option value="all">{w.all}</option>
          <option value="any">{w.any}</option>
        </Select>
        <Button
          onClick={() => {
            onChange(groupOf([...parts, fresh()], any));
          }}
        >
          {w.add}
        </Button>
        {depth < 3 && (
          <Button
            look="quiet"
            onClick={() => {
              onChange(groupOf([...parts, groupOf([fresh()], !any)], any));
            }}
          >
            {w.group}
          </Button>
        )}
        {onRemove && (
          <IconButton label={w.removeGroup} onClick={onRemove}>
            <Cross />
          </IconButton>
        )}
        {depth === 1 && when === undefined && parts.length > 0 && (
          <Button
            look="quiet"
            onClick={() => {
              onChange({ all: [] });
            }}
          >
            {w.clear}
          </Button>
        )}
      </div>
      <ul className="mt-1.5 flex flex-col gap-1.5">
        {parts.map((n, i) => (
          <li key={i}>
            {isGroup(n) ? (
              <GroupEditor
                fields={fields}
                group={n}
                depth={depth + 1}
                onChange={(next) => {
                  put(i, next);
                }}
                onRemove={() => {
                  put(i, undefined);
                }}
              />
            ) : (
              <ConditionEditor
                fields={fields}
                condition={n}
                onChange={(next) => {
                  put(i, next);
                }}
                onRemove={() => {
                  put(i, undefined);
                }}
              />
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}

const opLabel = (type: FieldDef["type"], op: string) =>
  ((type === "date" || type === "time") && w.timeOps[op]) || (type === "phone" && w.phoneOps[op]) || w.ops[op] || op;

function ConditionEditor({
  fields,
  condition: c,
  onChange,
  onRemove,
}: {
  fields: FieldDef[];
  condition: Condition;
  onChange: (next: Condition) => void;
  onRemove: () => void;
}) {
  const def = fields.find((f) => f.key === c.field);
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <Select
        label={w.field}
        hidden
        className="w-44"
        value={c.field}
        onChange={(e) => {
          const next = fields.find((f) => f.key === e.target.value);
          const op = next?.ops.includes(c.op) ? c.op : (next?.ops[0] ?? "is");
          onChange({ field: e.target.value, op, value: "" });
        }}
      >
        {fields
          .filter((f) => f.ops.length > 0)
          .map((f) => (
            <option key={f.key} value={f.key}>
              {f.label}
            </option>
          ))}
      </Select>
      <Select
        label={w.op}
        hidden
        className="w-40"
        value={c.op}
        onChange={(e) => {
          onChange({ ...c, op: e.target.value });
        }}
      >
        {(def?.ops ?? []).map((o) => (
          <option key={o} value={o}>
            {opLabel(def?.type ?? "text", o)}
          </option>
        ))}
      </Select>
      {def && needsValue(c.op) && (
        <div className="w-60">
          <Value
            key={`${c.field} ${c.op}`}
            def={def}
            op={c.op}
            value={c.value ?? ""}
            onChange={(value) => {
              onChange({ ...c, value });
            }}
          />
        </div>
      )}
      <IconButton label={w.remove} onClick={onRemove}>
        <Cross />
      </IconButton>
    </div>
  );
}

/** Value is typed text that counts once it rests, or a choice that counts at once. */
function Value({
  def,
  op,
  value,
  onChange,
}: {
  def: FieldDef;
  op: string;
  value: string;
  onChange: (v: string) => void;
}) {
  const book = useBook();
  const [name, setName] = useState<string>();
  const choices =
    def.type === "yes_no"
      ? [
          { value: "yes", label: t.book.yes },
          { value: "no", label: t.book.no },
        ]
      : def.type === "choice"
        ? def.choices.map((c) => ({ value: c, label: c }))
        : undefined;
  if (def.type === "user" && op !== "any_of") {
    return (
      <ColleaguePick
        label={w.value}
        hidden
        className="w-52"
        value={value}
        before={[{ id: "me", name: w.me }]}
        name={book.people.find((p) => p.id === value)?.name}
        onChange={onChange}
      />
    );
  }
  if (choices && op !== "any_of") {
    return (
      <Select
        label={w.value}
        hidden
        value={value}
        onChange={(e) => {
          onChange(e.target.value);
        }}
      >
        <option value="" />
        {choices.map((c) => (
          <option key={c.value} value={c.value}>
            {c.label}
          </option>
        ))}
      </Select>
    );
  }
  if (def.type === "ref") {
    return (
      <RefInput
        label={w.value}
        hidden
        kinds={def.ref_kinds}
        value={value}
        name={name}
        onChange={(r) => {
          setName(r?.name);
          onChange(r?.id ?? "");
        }}
      />
    );
  }
  const days = op === "past" || op === "next" || op === "not_past";
  return (
    <Field
      label={w.value}
      hidden
      inputMode={days ? "numeric" : undefined}
      placeholder={
        days ? w.days : def.type === "date" || def.type === "time" ? w.relative : op === "any_of" ? w.several : ""
      }
      maxLength={300}
      value={value}
      onChange={(e) => {
        onChange(e.target.value);
      }}
    />
  );
}
