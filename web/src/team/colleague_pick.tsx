import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { type KeyboardEvent, useId, useState } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { colleaguePick as t } from "../texts/colleague_pick";
import { inSight } from "../ui/list";
import { shortTime } from "../ui/times";

type Colleague = Schemas["Colleague"];

/** ColleagueLine is one of the firm as they are chosen among many: name, what they do since when, why they, where they are. */
export function ColleagueLine({
  colleague: c,
  line,
  reason,
  dim = false,
}: {
  colleague: Colleague;
  line: string;
  reason?: string;
  dim?: boolean;
}) {
  return (
    <span className={`min-w-0 ${dim ? "text-quiet" : ""}`}>
      <span className="flex items-baseline gap-2">
        <span className="name">{c.name}</span>
        <span className="text-sm">
          {c.availability}
          {c.since && c.reached ? `, ${t.since(shortTime(c.since))}` : ""}
        </span>
        {reason && <span className="text-sm font-semibold text-theirs">{reason}</span>}
      </span>
      <span className="block truncate text-sm text-quiet">{line}</span>
    </span>
  );
}

const lineOf = (c: Colleague) => [c.team, c.extension].filter(Boolean).join(" · ");
const fits = (c: Colleague, text: string) =>
  `${c.name} ${c.team} ${c.extension}`.toLowerCase().includes(text.trim().toLowerCase());

/** Choice is one that can be chosen: somebody of the firm as they stand, or else what is named so. */
interface Choice {
  id: string;
  name: string;
  colleague?: Colleague;
  past?: boolean;
}

/** Named is one that can be chosen beside those of the firm: oneself, nobody, somebody who has left it. */
export type Named = Pick<Choice, "id" | "name">;

/**
 * ColleaguePick is where somebody of the firm is chosen: by typing a part of the name, team or extension, or from the list,
 * which says what each is doing. Nothing is chosen by passing over it.
 */
export function ColleaguePick({
  label,
  hidden = false,
  className = "",
  value,
  onChange,
  none,
  name,
  only,
  first,
  before = [],
  past = [],
  standing = false,
  autoFocus = false,
  disabled = false,
}: {
  label: string;
  hidden?: boolean;
  className?: string;
  value: string;
  onChange: (id: string, name: string) => void;
  none?: string | undefined; // how nobody is called; without it somebody has to be chosen
  name?: string | undefined; // of a value who is no longer of the firm
  only?: ((c: Colleague) => boolean) | undefined;
  first?: ((c: Colleague) => boolean) | undefined; // who stand before the others
  before?: Named[]; // what else can be chosen, before all
  past?: Named[]; // who have left the firm, after all
  standing?: boolean; // the list stands under the field for as long as it is there
  autoFocus?: boolean;
  disabled?: boolean;
}) {
  const id = useId();
  const team = useQuery(queries.team).data ?? [];
  const [text, setText] = useState<string>(); // what is typed while the list is open
  const [active, setActive] = useState<number>(); // none yet: who is chosen, or the first that is found
  const beside = [...before, ...past].find((c) => c.id === value)?.name;
  const shown = team.find((c) => c.id === value)?.name ?? beside ?? (value ? (name ?? "") : (none ?? ""));
  const open = standing || text !== undefined;
  const found = team.filter((c) => (!only || only(c)) && (!text || fits(c, text)));
  const sorted = first ? [...found.filter(first), ...found.filter((c) => !first(c))] : found;
  const named = (c: Named) => !text || c.name.toLowerCase().includes(text.trim().toLowerCase());
  const options: Choice[] = [
    ...(none !== undefined && !text ? [{ id: "", name: none }] : []),
    ...before.filter(named),
    ...sorted.map((c) => ({ id: c.id, name: c.name, colleague: c })),
    ...past.filter(named).map((c) => ({ ...c, past: true })),
  ];
  const now = text ? 0 : options.findIndex((c) => c.id === value);
  const at = Math.min(active ?? Math.max(0, now), options.length - 1);
  const close = () => {
    setText(undefined);
    setActive(undefined);
  };
  const choose = (c: Choice | undefined) => {
    if (!c) return;
    onChange(c.id, c.name);
    close();
  };
  const onKeyDown = (e: KeyboardEvent) => {
    if (!open) {
      if (e.key !== "ArrowDown" && e.key !== "ArrowUp" && e.key !== "Enter") return;
      setText("");
    } else if (e.key === "ArrowDown") setActive(Math.min(options.length - 1, at + 1));
    else if (e.key === "ArrowUp") setActive(Math.max(0, at - 1));
    else if (e.key === "Escape") {
      if (standing) return; // the dialog around it goes
      e.stopPropagation(); // the dialog around it stays
      close();
    } else if (e.key === "Enter") {
      if (at >= 0) choose(options[at]);
    } else return;
    e.preventDefault();
  };
  const list = (
    <>
      <div
        id={`${id}-list`}
        role="listbox"
        aria-label={label}
        className={`overflow-auto ${standing ? "mt-2 max-h-[50vh]" : "max-h-[min(20rem,var(--radix-popover-content-available-height))]"}`}
      >
        {options.map((c, i) => (
          <div
            key={c.id}
            id={`${id}-${String(i)}`}
            role="option"
            aria-selected={i === at}
            ref={i === at ? inSight : undefined}
            onMouseDown={(e) => {
              e.preventDefault(); // the field keeps the focus until it is chosen
            }}
            onClick={() => {
              choose(c);
            }}
            className={`cursor-pointer rounded-sm px-2 py-1 hover:bg-ours-soft ${i === at ? "bg-ours-soft" : ""}`}
          >
            {c.colleague ? (
              <ColleagueLine colleague={c.colleague} line={lineOf(c.colleague)} />
            ) : (
              <span className={c.past ? "text-quiet" : ""}>{c.past ? t.past(c.name) : c.name}</span>
            )}
          </div>
        ))}
      </div>
      {options.length === 0 && <p className="px-2 py-1 text-sm text-quiet">{t.nobody}</p>}
    </>
  );
  const field = (
    <input
      id={id}
      role="combobox"
      aria-expanded={open}
      aria-controls={`${id}-list`}
      aria-activedescendant={open && at >= 0 ? `${id}-${String(at)}` : undefined}
      autoComplete="off"
      spellCheck={false}
      autoFocus={autoFocus}
      disabled={disabled}
      placeholder={hidden && !standing ? label : t.find}
      value={text ?? shown}
      onClick={(e) => {
        if (!open) setText("");
        e.currentTarget.select();
      }}
      onChange={(e) => {
        setText(e.target.value);
        setActive(undefined);
      }}
      onBlur={close}
      onKeyDown={onKeyDown}
      className="min-h-7 w-full rounded-sm border border-edge bg-sheet px-2 py-1 text-ink disabled:opacity-60"
    />
  );
  return (
    <div className={className}>
      <label htmlFor={id} className={hidden ? "sr-only" : "mb-1 block text-sm text-quiet"}>
        {label}
      </label>
      {standing ? (
        <>
          {field}
          {list}
        </>
      ) : (
        <Popover.Root open={open}>
          <Popover.Anchor asChild>{field}</Popover.Anchor>
          <Popover.Portal>
            <Popover.Content
              aria-label={label}
              align="start"
              sideOffset={2}
              collisionPadding={8}
              onOpenAutoFocus={(e) => {
                e.preventDefault();
              }}
              className="z-50 w-80 rounded-md border border-rule-strong bg-sheet p-1 shadow-lg"
            >
              {list}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
    </div>
  );
}
