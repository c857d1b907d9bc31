import { type ReactNode } from "react";

import { Cross } from "./icons";

/** Chip is a small thing that can be taken away. */
export function Chip({
  children,
  remove,
  removeLabel,
  short = false,
}: {
  children: ReactNode;
  remove?: (() => void) | undefined;
  removeLabel?: string;
  short?: boolean; // where many stand in a line
}) {
  return (
    <span
      className={`inline-flex ${short ? "max-w-27" : "max-w-48"} items-center rounded-sm border border-rule-strong text-sm`}
    >
      <span className="min-w-0 truncate py-0.5 pl-1.5">{children}</span>
      {remove ? (
        <button
          type="button"
          aria-label={removeLabel}
          title={removeLabel}
          onClick={remove}
          className="inline-flex size-6 shrink-0 items-center justify-center text-quiet hover:text-ending"
        >
          <Cross />
        </button>
      ) : (
        <span className="pr-1.5" />
      )}
    </span>
  );
}

type Tone = "theirs" | "ours" | "waiting" | "ending" | "quiet";

const tones: Record<Tone, string> = {
  theirs: "bg-theirs-soft text-theirs",
  ours: "bg-ours-soft text-ours",
  waiting: "bg-waiting-soft text-waiting",
  ending: "bg-ending-soft text-ending",
  quiet: "bg-rule/60 text-ink",
};

/** Badge is a word that says how something stands. */
export function Badge({ tone, children }: { tone: Tone; children: ReactNode }) {
  return (
    <span className={`inline-block rounded-sm px-1.5 py-0.5 text-sm whitespace-nowrap ${tones[tone]}`}>{children}</span>
  );
}
