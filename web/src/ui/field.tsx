import { type ComponentProps, useId, useRef, useState } from "react";

import { t } from "../texts";

const box = "w-full rounded-sm border border-edge bg-sheet text-ink focus-visible:outline-offset-0 disabled:opacity-60";
const usual = "px-2 py-1";
/** small is the box of what stands beside something that matters more. */
const small = "h-6.5 px-1.5 text-sm";

/** Field is a line to type in, with its label and, if there is one, what is wrong with it. */
export function Field({
  label,
  hidden = false,
  problem,
  className = "",
  aside = false,
  ...rest
}: ComponentProps<"input"> & { label: string; hidden?: boolean; problem?: string | undefined; aside?: boolean }) {
  const id = useId();
  const [seen, setSeen] = useState(false);
  const secret = rest.type === "password";
  return (
    <div className={className}>
      <label htmlFor={id} className={hidden ? "sr-only" : "mb-1 block text-sm text-quiet"}>
        {label}
      </label>
      <div className={secret ? "relative" : undefined}>
        <input
          id={id}
          {...rest}
          {...(seen ? { type: "text" } : {})}
          aria-invalid={problem ? true : undefined}
          aria-describedby={problem ? `${id}-problem` : undefined}
          className={`${box} ${aside ? small : usual} ${secret ? "pr-13" : ""}`}
        />
        {secret && (
          <button
            type="button"
            aria-pressed={seen}
            aria-label={t.show(label)}
            className="absolute inset-y-0 right-0 px-2 text-sm text-ours"
            onClick={() => {
              setSeen(!seen);
            }}
          >
            {seen ? t.hide : t.look}
          </button>
        )}
      </div>
      <Wrong id={`${id}-problem`} text={problem} />
    </div>
  );
}

/** Select is a choice among few. The browser's own one is used: it works with every keyboard and reader. */
export function Select({
  label,
  hidden = false,
  className = "",
  aside = false,
  children,
  ...rest
}: ComponentProps<"select"> & { label: string; hidden?: boolean; aside?: boolean }) {
  const id = useId();
  return (
    <div className={className}>
      <label htmlFor={id} className={hidden ? "sr-only" : "mb-1 block text-sm text-quiet"}>
        {label}
      </label>
      <select id={id} {...rest} className={`${box} ${aside ? small : `${usual} min-h-7`}`}>
        {children}
      </select>
    </div>
  );
}

/** PickSelect is a choice that does something when it is made. What the arrow keys pass over is only shown: it is chosen by Enter, by
 * leaving the field, or by a click. */
export function PickSelect({
  value,
  onPick,
  ...rest
}: Omit<ComponentProps<typeof Select>, "value" | "onChange" | "onBlur" | "onKeyDown" | "onPointerDown"> & {
  value: string;
  onPick: (value: string) => void;
}) {
  const [shown, setShown] = useState<string>();
  const byKeys = useRef(false);
  const pick = (next: string | undefined) => {
    setShown(undefined);
    if (next !== undefined && next !== value) onPick(next);
  };
  return (
    <Select
      {...rest}
      value={shown ?? value}
      onPointerDown={() => {
        byKeys.current = false;
      }}
      onKeyDown={(e) => {
        byKeys.current = true;
        if (e.key === "Enter") pick(shown);
        else if (e.key === "Escape") setShown(undefined);
      }}
      onChange={(e) => {
        if (byKeys.current) setShown(e.target.value);
        else pick(e.target.value);
      }}
      onBlur={() => {
        pick(shown);
      }}
    />
  );
}

/** Area is a large field for plain text. */
export function Area({
  label,
  hidden = false,
  problem,
  className = "",
  ...rest
}: ComponentProps<"textarea"> & { label: string; hidden?: boolean; problem?: string | undefined }) {
  const id = useId();
  return (
    <div className={className}>
      <label htmlFor={id} className={hidden ? "sr-only" : "mb-1 block text-sm text-quiet"}>
        {label}
      </label>
      <textarea
        id={id}
        {...rest}
        aria-invalid={problem ? true : undefined}
        aria-describedby={problem ? `${id}-problem` : undefined}
        className={`${box} ${usual} block min-h-16 resize-none leading-5`}
      />
      <Wrong id={`${id}-problem`} text={problem} />
    </div>
  );
}

/** Check is something that is so or not. */
export function Check({
  label,
  checked,
  onChange,
}: {
  label: string;
  checked: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <label className="flex min-h-7 items-center gap-1.5">
      <input
        type="checkbox"
        checked={checked}
        onChange={(e) => {
          onChange(e.target.checked);
        }}
      />
      {label}
    </label>
  );
}

function Wrong({ id, text }: { id: string; text: string | undefined }) {
  if (!text) return null;
  return (
    <p id={id} role="alert" className="mt-1 text-sm text-ending">
      {text}
    </p>
  );
}
