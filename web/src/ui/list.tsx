import { type KeyboardEvent } from "react";

/** useArrowKeys lets the arrow keys, Home and End move among the elements marked data-arrow below an element. */
export function useArrowKeys() {
  return (e: KeyboardEvent<HTMLElement>) => {
    const step = { ArrowDown: 1, ArrowUp: -1, Home: -Infinity, End: Infinity }[e.key];
    if (step === undefined || (e.target instanceof Element && e.target.matches("input, textarea, select"))) return;
    const all = [...e.currentTarget.querySelectorAll<HTMLElement>("[data-arrow]")];
    if (all.length === 0) return;
    const at = all.findIndex((x) => x === document.activeElement || x.parentElement?.contains(document.activeElement));
    const next = Math.min(all.length - 1, Math.max(0, at + step));
    e.preventDefault();
    all[next]?.focus();
  };
}

/** inSight scrolls the one of a list that the arrow keys have come to into its window: given as its ref. */
export const inSight = (e: HTMLElement | null) => {
  e?.scrollIntoView({ block: "nearest" });
};
