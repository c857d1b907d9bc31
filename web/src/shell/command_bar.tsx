import { t } from "../texts";
import { KeyHint } from "../ui/button";
import { keyOf, offeredCommands, useArmed } from "./keys";

/** CommandBar says, once the command key was pressed, which keys can follow. */
export function CommandBar() {
  const armed = useArmed();
  if (armed !== "command") return null;
  return (
    <div
      role="status"
      data-testid="commands"
      className="fixed inset-x-0 top-12 z-40 mx-auto flex w-fit max-w-[90vw] flex-wrap gap-x-4 gap-y-1 rounded-b-md border border-t-0 border-ours bg-sheet px-4 py-2 text-sm shadow-lg"
    >
      <span className="font-semibold text-ours">{t.keys.commands}</span>
      <span>
        <KeyHint>1–9</KeyHint> {t.keys.outcomesShort}
      </span>
      {offeredCommands()
        .filter((a) => a !== "command")
        .map((a) => (
          <span key={a}>
            <KeyHint>{keyOf(a).toUpperCase()}</KeyHint> {t.keys.short[a] ?? t.keys.actions[a]}
          </span>
        ))}
    </div>
  );
}
