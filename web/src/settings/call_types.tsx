import type { Schemas } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Check, Field } from "../ui/field";

type Settings = Schemas["OutcomeSettings"];
const s = t.after.settings;

/** CallTypes are what calls can be about. */
export function CallTypes({
  draft,
  onChange,
  ask,
}: {
  draft: Settings;
  onChange: (next: Settings) => void;
  ask: (question: { text: string; go: () => void }) => void;
}) {
  const set = (call_types: Settings["call_types"]) => {
    onChange({ ...draft, call_types });
  };
  return (
    <section aria-label={s.callTypes}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.callTypes}</h2>
      <ul>
        {draft.call_types.map((x, i) => (
          <li key={x.id ?? `new ${String(i)}`} className="flex items-end gap-3 border-b border-rule py-1.5">
            <Field
              label={s.typeName(i + 1)}
              hidden
              maxLength={60}
              className="flex-1"
              value={x.label}
              onChange={(e) => {
                set(draft.call_types.map((c, j) => (j === i ? { ...c, label: e.target.value } : c)));
              }}
            />
            <Check
              label={s.active}
              checked={x.active}
              onChange={(on) => {
                const go = () => {
                  set(draft.call_types.map((c, j) => (j === i ? { ...c, active: on } : c)));
                };
                if (!on && x.used) ask({ text: s.inUse(x.label, x.used), go });
                else go();
              }}
            />
          </li>
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          set([...draft.call_types, { id: null, label: "", active: true }]);
        }}
      >
        {s.addType}
      </Button>
    </section>
  );
}
