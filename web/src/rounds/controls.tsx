import type { Call } from "../api/client";
import { t } from "../texts";
import { useKey, useKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { type Round, useRoundAct } from "./round";

const g = t.rounds.going;

/** RoundControls are what a slip of a round has besides: another number of theirs, and leaving them out. */
export function RoundControls({ call, round }: { call: Call; round: Round }) {
  const act = useRoundAct(round.id);
  const { hint } = useKeys();
  const other = round.current?.call?.id === call.id ? round.current.next_number_id : undefined;
  const speaking = call.state.phase === "speaking";
  const next = () => {
    act.run({ act: "next_number" });
  };
  const skip = () => {
    act.run({ act: "skip" });
  };
  useKey("other", other && !speaking ? next : undefined);
  useKey("skip", speaking ? undefined : skip);
  if (speaking) return null; // who is spoken with is not left by a slip of the finger
  return (
    <>
      {other && (
        <Button disabled={act.pending} onClick={next} hint={hint("other")} aria-keyshortcuts={hint("other")}>
          {g.other}
        </Button>
      )}
      <Button disabled={act.pending} onClick={skip} hint={hint("skip")} aria-keyshortcuts={hint("skip")}>
        {g.skip}
      </Button>
    </>
  );
}
