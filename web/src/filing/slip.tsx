import type { Call } from "../api/client";
import { t } from "../texts";
import { NotesAndRecords } from "./notes_and_records";
import { Outcomes } from "./outcomes";
import { Who } from "../calls/who";
import { Parties } from "../calls/parties";
import { whoOf } from "../calls/words";

/** Slip is the working sheet of my part in one call: who and the controls, notes and records, outcomes and File. */
export function Slip({ call }: { call: Call }) {
  const waits = call.state.phase === "ended";
  return (
    <section
      aria-label={t.slip.region(whoOf(call))}
      data-testid="slip"
      data-phase={call.state.phase}
      className={`grid min-[64rem]:min-h-[15.3rem] grid-cols-[16.5rem_minmax(0,1fr)_19rem] rounded-md border border-rule-strong border-t-4 bg-sheet max-[63.9rem]:grid-cols-1 ${waits ? "border-t-waiting" : "border-t-ours"}`}
    >
      <Parties call={call} />
      <Who call={call} />
      <NotesAndRecords key={call.slip.id} call={call} />
      <Outcomes call={call} />
    </section>
  );
}
