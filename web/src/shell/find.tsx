import { useQuery } from "@tanstack/react-query";
import { useLocation, useNavigate } from "@tanstack/react-router";
import { type KeyboardEvent, useDeferredValue, useEffect, useId, useRef, useState } from "react";

import type { Call, PhoneNumber, RecordRow, Schemas } from "../api/client";
import { queries } from "../api/queries";
import { useDial } from "../calls/dial";
import { howLong, personOf, whoOf } from "../calls/words";
import { t } from "../texts";
import { KeyHint } from "../ui/button";
import { Direction } from "../ui/icons";
import { Number } from "../ui/number";
import { shortTime } from "../ui/times";
import { useKey, useKeys } from "./keys";

type Option = {
  id: string;
  row?: RecordRow;
  colleague?: Schemas["Colleague"];
  recent?: Call;
  dial?: { typed: string; display: string; problem: string };
};

const dialable = (o: Option | undefined): PhoneNumber[] =>
  o?.row?.numbers.filter((n) => n.dialable && !n.refused) ?? [];

/** FindField finds and dials: a name, a company, a number. Enter opens; the right arrow
 * chooses one of their numbers, which Enter calls then. Empty it offers the calls just made. */
export function FindField() {
  const [text, setText] = useState("");
  const [open, setOpen] = useState(false);
  const [active, setActive] = useState(0);
  const [numberAt, setNumberAt] = useState(-1); // which number of the active one is chosen; -1: none
  const [hurried, setHurried] = useState(false); // Enter came before what was found
  const field = useRef<HTMLInputElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const id = useId();
  const q = useDeferredValue(text.trim());
  const found = useQuery({ ...queries.find(q), enabled: open });
  const navigate = useNavigate();
  const { dial } = useDial();
  const { hint } = useKeys();
  const openRecord = /^\/records\/([0-9a-f-]{36})$/.exec(useLocation().pathname)?.[1];
  useKey("find", () => {
    field.current?.focus();
    field.current?.select();
  });
  useEffect(() => {
    const away = (e: PointerEvent) => {
      if (e.target instanceof Node && !box.current?.contains(e.target)) setOpen(false);
    };
    window.addEventListener("pointerdown", away);
    return () => {
      window.removeEventListener("pointerdown", away);
    };
  }, []);

  const data = found.data;
  const options: Option[] = [];
  const offer = q ? data?.dial : undefined;
  if (offer && !offer.problem) options.push({ id: "dial", dial: offer });
  for (const row of (q && data?.records) || []) options.push({ id: row.id, row });
  for (const colleague of (q && data?.colleagues) || []) options.push({ id: colleague.id, colleague });
  for (const recent of (!q && data?.recent) || []) options.push({ id: recent.id, recent });
  if (offer?.problem && options.length === 0) options.push({ id: "dial", dial: offer });
  const at = Math.min(active, Math.max(0, options.length - 1));

  const ready = (data?.dial ?? null) !== undefined && q === text.trim() && !found.isPlaceholderData;
  const close = () => {
    setHurried(false);
    setOpen(false);
    setText("");
    setActive(0);
    setNumberAt(-1);
    field.current?.blur();
  };
  const callTyped = (typed: string, to: string) => {
    dial({ typed, ...(openRecord ? { open_record_id: openRecord } : {}) }, to);
    close();
  };
  const choose = (o: Option, number?: PhoneNumber) => {
    if (o.dial) {
      if (!o.dial.problem) callTyped(o.dial.typed, o.dial.display);
      return;
    }
    if (o.colleague) {
      dial({ colleague_id: o.colleague.id }, o.colleague.name);
      close();
      return;
    }
    if (o.row && number) {
      dial({ number_id: number.id }, o.row.name);
      close();
    } else if (o.row) {
      void navigate({ to: "/records/$id", params: { id: o.row.id } });
      close();
    } else if (o.recent) {
      const person = personOf(o.recent);
      void navigate(
        person ? { to: "/records/$id", params: { id: person.id } } : { to: "/calls/$id", params: { id: o.recent.id } },
      );
      close();
    }
  };
  const hurriedTo = hurried && ready && found.isSuccess ? options[at] : undefined;
  useEffect(() => {
    if (!hurriedTo) return;
    const timer = setTimeout(() => {
      choose(hurriedTo);
    });
    return () => {
      clearTimeout(timer);
    };
  });
  const onKeyDown = (e: KeyboardEvent) => {
    const option = options[at];
    const numbers = dialable(option);
    const caretAtEnd = field.current?.selectionStart === text.length;
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      setActive(e.key === "ArrowDown" ? Math.min(options.length - 1, at + 1) : Math.max(0, at - 1));
      setNumberAt(-1);
    } else if (e.key === "ArrowRight" && caretAtEnd && numberAt < numbers.length - 1) setNumberAt(numberAt + 1);
    else if (e.key === "ArrowLeft" && numberAt >= 0) setNumberAt(numberAt - 1);
    else if (e.key === "Enter") {
      const chosen = numbers[numberAt]; // which is seen, so that it need not wait for what else is found
      if (option && (ready || chosen)) choose(option, chosen);
      else if (text.trim()) setHurried(true); // what was found is not there yet: Enter waits for it
    } else if (e.key === "Escape") {
      setOpen(false);
      return;
    } else return;
    e.preventDefault();
  };
  return (
    <div ref={box} className="relative w-56 shrink-0">
      <label htmlFor={id} className="sr-only">
        {t.find.label}
      </label>
      <input
        id={id}
        ref={field}
        role="combobox"
        aria-expanded={open}
        aria-controls={`${id}-list`}
        aria-activedescendant={open && options.length > 0 ? `${id}-${String(at)}` : undefined}
        aria-autocomplete="list"
        autoComplete="off"
        spellCheck={false}
        maxLength={200}
        placeholder={t.find.placeholder}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setActive(0);
          setNumberAt(-1);
          setHurried(false);
          setOpen(true);
        }}
        onFocus={() => {
          setOpen(true);
        }}
        onKeyDown={onKeyDown}
        onBlur={(e) => {
          if (!box.current?.contains(e.relatedTarget)) setOpen(false);
        }}
        className="h-8 w-full rounded-md border border-edge bg-sheet px-2.5 pr-8"
      />
      {hint("find") && (
        <span className="pointer-events-none absolute top-1.5 right-2 rounded-sm border border-rule-strong px-1 text-quiet">
          <KeyHint>{hint("find")}</KeyHint>
        </span>
      )}
      {open && (
        <div className="absolute top-9 left-0 z-30 w-[30rem] max-w-[90vw] rounded-md border border-rule-strong bg-sheet py-1 shadow-lg">
          {!q && <p className="px-3 py-1 text-sm text-quiet">{t.find.recent}</p>}
          <div id={`${id}-list`} role="listbox" aria-label={t.find.label}>
            {options.map((o, i) => (
              <div
                key={o.id}
                id={`${id}-${String(i)}`}
                role="option"
                aria-selected={i === at}
                onPointerMove={() => {
                  if (i !== at) setNumberAt(-1);
                  setActive(i);
                }}
                onClick={() => {
                  choose(o);
                }}
                className={`min-h-8 cursor-pointer px-3 py-1 ${i === at ? "bg-ours-soft" : ""}`}
              >
                <OptionText option={o} chosen={i === at ? dialable(o)[numberAt] : undefined} />
              </div>
            ))}
          </div>
          {q && data && options.length === 0 && !found.isPlaceholderData && (
            <p className="px-3 py-1 text-quiet">{t.find.nothing}</p>
          )}
          {!q && data?.recent.length === 0 && <p className="px-3 py-1 text-quiet">{t.find.none}</p>}
          <p className="border-t border-rule px-3 pt-1 text-sm text-quiet">{t.find.hint}</p>
        </div>
      )}
    </div>
  );
}

function OptionText({ option: o, chosen }: { option: Option; chosen: PhoneNumber | undefined }) {
  if (o.dial) {
    return o.dial.problem ? (
      <span className="text-quiet">
        {o.dial.display}: {o.dial.problem}
      </span>
    ) : (
      <span className="font-semibold text-ours">{t.find.dial(o.dial.display)}</span>
    );
  }
  if (o.row) {
    return (
      <>
        <span className="flex items-baseline gap-2">
          <span className="name">{o.row.name}</span>
          <span className="truncate text-sm text-quiet">
            {[
              o.row.kind !== "contact" && t.book.kind(o.row.kind),
              o.row.company?.name,
              o.row.values["reference"],
              o.row.kind !== "contact" && o.row.kind !== "lead" && o.row.stage,
            ]
              .filter(Boolean)
              .join(" · ")}
          </span>
        </span>
        <span className="flex flex-wrap gap-x-4">
          {o.row.numbers.map((n) => (
            <span key={n.id} className={n === chosen ? "rounded-sm outline-2 outline-offset-1 outline-ours" : ""}>
              <Number number={n} name={o.row?.name ?? ""} tabIndex={-1} />
            </span>
          ))}
        </span>
        {chosen && (
          <span className="block font-semibold text-ours" role="status">
            {t.find.callChosen(o.row.name, chosen.label, chosen.display)}
          </span>
        )}
      </>
    );
  }
  if (o.colleague) {
    return (
      <span className="flex items-baseline gap-2">
        <span className="name">{o.colleague.name}</span>
        <span className="text-sm text-quiet">
          {[
            t.find.colleague,
            o.colleague.team,
            o.colleague.extension && t.find.extension(o.colleague.extension),
            o.colleague.availability,
          ]
            .filter(Boolean)
            .join(" · ")}
        </span>
      </span>
    );
  }
  if (!o.recent) return null;
  return (
    <span className="flex items-baseline justify-between gap-2">
      <span className="truncate">
        <Direction way={o.recent.direction} /> <span className="name">{whoOf(o.recent)}</span>{" "}
        <span className="text-quiet">{o.recent.display}</span>
      </span>
      <span className="shrink-0 text-sm text-quiet">
        {howLong(o.recent)} · {shortTime(o.recent.state.started_at)}
      </span>
    </span>
  );
}
