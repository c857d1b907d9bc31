import { type ComponentProps, type ReactNode } from "react";

type Look = "plain" | "ours" | "ending" | "quiet";

const looks: Record<Look, string> = {
  plain: "border-rule-strong bg-paper text-ink hover:border-edge",
  ours: "border-ours bg-ours text-on-ours font-semibold hover:brightness-110",
  ending: "border-ending bg-ending text-on-ending font-semibold hover:brightness-110",
  quiet: "border-transparent text-quiet hover:text-ink hover:underline",
};

/** Button is every button with words on it. A key that does the same stands beside them. */
export function Button({
  look = "plain",
  hint,
  className = "",
  children,
  ...rest
}: ComponentProps<"button"> & { look?: Look; hint?: string | undefined; children: ReactNode }) {
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex min-h-7 items-center gap-1.5 rounded-sm border px-2.5 py-1 whitespace-nowrap transition-colors duration-100 disabled:cursor-default disabled:opacity-55 ${looks[look]} ${className}`}
    >
      {children}
      {hint && <KeyHint>{hint}</KeyHint>}
    </button>
  );
}

/** Turning is the label of a button that turns something on and off. It keeps the room of its other label, so that no button beside it moves under the pointer. */
export function Turning({ label, other }: { label: string; other: string }) {
  return (
    <span
      data-other={other}
      className="inline-grid after:invisible after:h-0 after:overflow-hidden after:content-[attr(data-other)]"
    >
      {label}
    </span>
  );
}

/** KeyHint shows a key beside what it does. Screen readers hear it from aria-keyshortcuts instead. */
export function KeyHint({ children }: { children: ReactNode }) {
  return (
    <kbd aria-hidden className="font-mono text-xs">
      {children}
    </kbd>
  );
}

/** IconButton is a small button whose name is only heard. It is never under 24 px. */
export function IconButton({ label, className = "", children, ...rest }: ComponentProps<"button"> & { label: string }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      {...rest}
      className={`inline-flex size-6 shrink-0 items-center justify-center rounded-sm text-quiet hover:bg-rule hover:text-ink ${className}`}
    >
      {children}
    </button>
  );
}
