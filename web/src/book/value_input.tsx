import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useDeferredValue, useId, useState } from "react";

import type { RecordRef } from "../api/client";
import { queries } from "../api/queries";
import { ColleaguePick } from "../team/colleague_pick_later";
import { t } from "../texts";
import { IconButton } from "../ui/button";
import { Area, Field, Select } from "../ui/field";
import { fromInput, toInput } from "../ui/times";
import { Cross } from "../ui/icons";
import { type FieldDef, type Kind, useBook } from "./values";

type Props = {
  def: FieldDef;
  value: string;
  onChange: (value: string) => void;
  hidden?: boolean;
  problem?: string | undefined;
  autoFocus?: boolean;
  refName?: string | undefined;
};

/** ValueInput is the input that fits a field's type. It holds the canonical text, or what somebody is typing. */
export function ValueInput({ def, value, onChange, hidden = false, problem, autoFocus = false, refName }: Props) {
  const book = useBook();
  const list = useId();
  const usual = { label: def.label, hidden, problem, autoFocus };
  switch (def.type) {
    case "choice":
      return (
        <Select
          label={def.label}
          hidden={hidden}
          autoFocus={autoFocus}
          value={value}
          onChange={(e) => {
            onChange(e.target.value);
          }}
        >
          <option value="">{t.book.none}</option>
          {def.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </Select>
      );
    case "yes_no":
      return (
        <Select
          label={def.label}
          hidden={hidden}
          autoFocus={autoFocus}
          value={value}
          onChange={(e) => {
            onChange(e.target.value);
          }}
        >
          <option value="">{t.book.none}</option>
          <option value="yes">{t.book.yes}</option>
          <option value="no">{t.book.no}</option>
        </Select>
      );
    case "user":
      return (
        <ColleaguePick
          label={def.label}
          hidden={hidden}
          autoFocus={autoFocus}
          value={value}
          name={book.people.find((p) => p.id === value)?.name}
          none={t.book.none}
          onChange={onChange}
        />
      );
    case "ref":
      return (
        <RefInput
          label={def.label}
          hidden={hidden}
          kinds={def.ref_kinds}
          value={value}
          name={refName}
          autoFocus={autoFocus}
          problem={problem}
          onChange={(r) => {
            onChange(r?.id ?? "");
          }}
        />
      );
    case "long":
      return (
        <Area
          {...usual}
          rows={4}
          value={value}
          onChange={(e) => {
            onChange(e.target.value);
          }}
        />
      );
    case "time":
      return (
        <Field
          {...usual}
          type="datetime-local"
          value={toInput(value)}
          onChange={(e) => {
            onChange(fromInput(e.target.value));
          }}
        />
      );
    default:
      return (
        <>
          <Field
            {...usual}
            type={def.type === "date" ? "date" : "text"}
            list={def.choices.length > 0 ? list : undefined}
            value={value}
            onChange={(e) => {
              onChange(e.target.value);
            }}
          />
          {def.choices.length > 0 && (
            <datalist id={list}>
              {def.choices.map((c) => (
                <option key={c} value={c} />
              ))}
            </datalist>
          )}
        </>
      );
  }
}

/** RefInput chooses a record of some kinds by typing a part of its name. */
export function RefInput({
  label,
  hidden = false,
  kinds,
  value,
  name,
  onChange,
  autoFocus = false,
  problem,
}: {
  label: string;
  hidden?: boolean;
  kinds: Kind[];
  value: string;
  name?: string | undefined;
  onChange: (record: RecordRef | undefined) => void;
  autoFocus?: boolean;
  problem?: string | undefined;
}) {
  const id = useId();
  const [text, setText] = useState("");
  const [open, setOpen] = useState(false);
  const [active, setActive] = useState(0);
  const [chosen, setChosen] = useState<RecordRef>();
  const q = useDeferredValue(text.trim());
  const found = useQuery({
    ...queries.rows({ kinds, q, limit: 8 }),
    enabled: open && q !== "" && kinds.length > 0,
  });
  const options = (q && found.data?.rows) || [];
  const shown = chosen?.id === value ? chosen.name : name;
  const choose = (r: RecordRef | undefined) => {
    setChosen(r);
    setText("");
    setOpen(false);
    onChange(r);
  };
  if (value) {
    return (
      <div>
        <span className={hidden ? "sr-only" : "mb-1 block text-sm text-quiet"}>{label}</span>
        <span className="inline-flex max-w-full items-center rounded-sm border border-rule-strong">
          <span className="truncate px-2 py-1">{shown ?? value}</span>
          <IconButton
            label={t.book.ref.clear(label)}
            onClick={() => {
              choose(undefined);
            }}
          >
            <Cross />
          </IconButton>
        </span>
      </div>
    );
  }
  const onKeyDown = (e: KeyboardEvent) => {
    const option = options[Math.min(active, options.length - 1)];
    if (e.key === "ArrowDown") setActive(Math.min(options.length - 1, active + 1));
    else if (e.key === "ArrowUp") setActive(Math.max(0, active - 1));
    else if (e.key === "Enter" && open && option) choose({ id: option.id, kind: option.kind, name: option.name });
    else if (e.key === "Escape" && open) setOpen(false);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <div
      className="relative"
      onBlur={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget)) setOpen(false);
      }}
    >
      <Field
        label={label}
        hidden={hidden}
        role="combobox"
        aria-expanded={open && options.length > 0}
        aria-controls={id}
        aria-autocomplete="list"
        autoComplete="off"
        autoFocus={autoFocus}
        placeholder={t.book.ref.search}
        problem={problem}
        maxLength={200}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setActive(0);
          setOpen(true);
        }}
        onKeyDown={onKeyDown}
      />
      <ul
        id={id}
        role="listbox"
        aria-label={label}
        className={`absolute top-full left-0 z-30 w-full min-w-56 rounded-md border border-rule-strong bg-sheet py-1 shadow-lg ${open && q ? "" : "hidden"}`}
      >
        {options.map((r, i) => (
          <li
            key={r.id}
            role="option"
            aria-selected={i === active}
            onPointerDown={(e) => {
              e.preventDefault();
              choose({ id: r.id, kind: r.kind, name: r.name });
            }}
            className={`min-h-7 cursor-pointer px-2 py-1 ${i === active ? "bg-ours-soft" : ""}`}
          >
            <span className="name">{r.name}</span>{" "}
            <span className="text-sm text-quiet">{r.company?.name ?? r.stage}</span>
          </li>
        ))}
        {q && found.data && options.length === 0 && (
          <li role="option" aria-selected={false} aria-disabled className="px-2 py-1 text-quiet">
            {t.book.ref.none}
          </li>
        )}
      </ul>
    </div>
  );
}
