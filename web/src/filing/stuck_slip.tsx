import { type RefObject, useEffect, useState } from "react";

import type { Call } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { useNotes } from "./notes_and_records";
import { CallClock, useHangUp } from "../calls/who";
import { whoOf } from "../calls/words";

/** useOutOfSight tells whether an element has been scrolled away. */
function useOutOfSight(element: RefObject<HTMLElement | null>): boolean {
  const [out, setOut] = useState(false);
  useEffect(() => {
    const at = element.current;
    if (!at || typeof IntersectionObserver === "undefined") return;
    const watch = new IntersectionObserver(([seen]) => {
      setOut(seen ? !seen.isIntersecting : false);
    });
    watch.observe(at);
    return () => {
      watch.disconnect();
    };
  }, [element]);
  return out;
}

/** StuckSlip stays at the top of a narrow or magnified window while the slip is scrolled away and somebody is spoken with: who it is, the clock,
 * the end, and room for notes. */
export function StuckSlip({ call, slip }: { call: Call; slip: RefObject<HTMLElement | null> }) {
  const out = useOutOfSight(slip);
  const { keeper, notes } = useNotes(call);
  const { end, ending } = useHangUp(call);
  if (!out || call.state.phase === "ended") return null;
  return (
    <section
      aria-label={t.slip.stuck}
      data-testid="stuck"
      className="fixed inset-x-0 top-0 z-30 flex flex-col gap-1.5 border-b border-t-4 border-t-ours border-b-rule-strong bg-sheet px-3.5 py-2 min-[64rem]:hidden"
    >
      <div className="flex items-center justify-between gap-3">
        <span className="name min-w-0 truncate">{whoOf(call)}</span>
        <CallClock call={call} />
        <Button look="ending" onClick={end} disabled={ending}>
          {call.state.phase === "speaking" ? t.slip.end : t.slip.giveUp}
        </Button>
      </div>
      <textarea
        aria-label={t.slip.notes}
        rows={2}
        value={notes.body}
        placeholder={t.slip.notesPlaceholder}
        onChange={(e) => {
          keeper.type(e.target.value);
        }}
        onBlur={() => void keeper.flush()}
        className="w-full resize-none rounded-sm border border-edge bg-sheet px-2 py-1 leading-5"
      />
    </section>
  );
}
