import { useState } from "react";

import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { type Action, actions, keyOf, resetKeys, setKey, switchKeys, useKeys } from "./keys";

/** KeysDialog lists every key, lets each be changed, and single keys be switched off (WCAG 2.1.4). */
export function KeysDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const { on } = useKeys();
  const [changing, setChanging] = useState<Action>();
  const [problem, setProblem] = useState("");
  return (
    <Dialog
      open={open}
      onClose={onClose}
      title={t.keys.title}
      actions={<Button onClick={resetKeys}>{t.keys.reset}</Button>}
    >
      <h3 className="name">{t.keys.know}</h3>
      <ul className="mb-3 list-disc pl-5">
        {t.keys.five(keyOf("command")).map((x) => (
          <li key={x}>{x}</li>
        ))}
      </ul>
      <p className="mb-2 text-quiet">{t.keys.intro(keyOf("command"))}</p>
      <label className="mb-3 flex min-h-7 items-center gap-2">
        <input
          type="checkbox"
          checked={on}
          onChange={(e) => {
            switchKeys(e.target.checked);
          }}
        />
        {t.keys.on}
      </label>
      <dl className="grid grid-cols-[1fr_auto] items-center gap-y-1">
        {actions.map((a) => (
          <div key={a} className="contents">
            <dt>{t.keys.actions[a]}</dt>
            <dd>
              <Button
                className="min-w-16 justify-center font-mono"
                onClick={() => {
                  setChanging(a);
                  setProblem("");
                }}
                onKeyDown={(e) => {
                  if (changing !== a || e.key === "Tab" || e.key === "Escape") return;
                  e.preventDefault();
                  // The command key must type nothing: one of the function keys.
                  if (a === "command" ? !/^F\d+$/.test(e.key) : e.key.length !== 1 || /[1-9 ]/.test(e.key)) return;
                  const other = actions.find((x) => x !== a && keyOf(x) === e.key.toLowerCase());
                  if (other) {
                    setProblem(t.keys.taken(t.keys.actions[other] ?? other));
                    return;
                  }
                  setKey(a, a === "command" ? e.key : e.key.toLowerCase());
                  setChanging(undefined);
                }}
                onBlur={() => {
                  setChanging(undefined);
                }}
              >
                <span className="sr-only">{t.keys.actions[a]}: </span>
                {changing === a ? t.keys.press : keyOf(a).toUpperCase()}
              </Button>
            </dd>
          </div>
        ))}
        {problem && (
          <p role="alert" className="col-span-2 text-sm text-ending">
            {problem}
          </p>
        )}
        <dt>{t.keys.outcomes}</dt>
        <dd className="font-mono">1 – 9</dd>
        <dt>{t.keys.fileFromNotes}</dt>
        <dd className="font-mono">Ctrl+Enter, ⌘+Enter</dd>
        <dt>{t.keys.leave}</dt>
        <dd className="font-mono">Esc</dd>
      </dl>
    </Dialog>
  );
}
