import { Link, useNavigate } from "@tanstack/react-router";
import { useEffect } from "react";

import { insight } from "../texts/insight";
import { KeyHint } from "../ui/button";
import { foundAround } from "./found";

const f = insight.find;

/** FoundAround leads from a call to the next one of those that were found, by link or by key, and back to the list. */
export function FoundAround({ id }: { id: string }) {
  const navigate = useNavigate();
  const around = foundAround(id);
  const before = around?.before;
  const after = around?.after;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!e.altKey && !e.ctrlKey && !e.metaKey && !typing(e.target)) {
        const to = e.key === "]" ? after : e.key === "[" ? before : undefined;
        if (to) void navigate({ to: "/calls/$id", params: { id: to } });
      }
    };
    window.addEventListener("keydown", onKey);
    return () => {
      window.removeEventListener("keydown", onKey);
    };
  }, [before, after, navigate]);
  if (!around) return null;
  return (
    <nav aria-label={f.back} className="mt-1 flex items-center gap-4 text-sm" data-testid="found-around">
      <Link to="/insight" search={{ tab: "calls", ...(around.q ? { q: around.q } : {}) }} className="underline">
        {f.back}
      </Link>
      <span className="text-quiet">{f.place(around.place, around.count)}</span>
      {before && (
        <Link to="/calls/$id" params={{ id: before }} className="underline">
          {f.previous} <KeyHint>[</KeyHint>
        </Link>
      )}
      {after && (
        <Link to="/calls/$id" params={{ id: after }} className="underline">
          {f.next} <KeyHint>]</KeyHint>
        </Link>
      )}
    </nav>
  );
}

const typing = (target: EventTarget | null) =>
  target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement || target instanceof HTMLSelectElement;
