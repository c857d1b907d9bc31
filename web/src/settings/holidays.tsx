import type { Schemas } from "../api/client";
import { t } from "../texts";
import { Button, IconButton } from "../ui/button";
import { Field } from "../ui/field";
import { Cross } from "../ui/icons";

type Settings = Schemas["OutcomeSettings"];
const s = t.after.settings;

/** Holidays are the days on which nobody works. */
export function Holidays({ draft, onChange }: { draft: Settings; onChange: (next: Settings) => void }) {
  const set = (holidays: Settings["holidays"]) => {
    onChange({ ...draft, holidays });
  };
  const missing = (draft.public_holidays ?? []).filter((h) => !draft.holidays.some((x) => x.date === h.date));
  return (
    <section aria-label={s.holidays}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.holidays}</h2>
      <p className="py-1 text-sm text-quiet">{s.holidaysIntro}</p>
      <ul className="max-h-72 overflow-y-auto">
        {draft.holidays.map((h, i) => (
          <li key={i} className="flex items-center gap-2 border-b border-rule py-1">
            <Field
              label={s.holidayDate(i + 1)}
              hidden
              type="date"
              className="w-40"
              value={h.date}
              onChange={(e) => {
                set(draft.holidays.map((x, j) => (j === i ? { ...x, date: e.target.value } : x)));
              }}
            />
            <Field
              label={s.holidayName(i + 1)}
              hidden
              maxLength={80}
              className="min-w-0 flex-1"
              value={h.name}
              onChange={(e) => {
                set(draft.holidays.map((x, j) => (j === i ? { ...x, name: e.target.value } : x)));
              }}
            />
            <IconButton
              label={s.remove(h.name)}
              onClick={() => {
                set(draft.holidays.filter((_, j) => j !== i));
              }}
            >
              <Cross />
            </IconButton>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-2">
        <Button
          onClick={() => {
            set([...draft.holidays, { date: "", name: "" }]);
          }}
        >
          {s.addHoliday}
        </Button>
        {missing.length > 0 && (
          <Button
            onClick={() => {
              set([...draft.holidays, ...missing].sort((a, b) => a.date.localeCompare(b.date)));
            }}
          >
            {s.takeOver(missing.length)}
          </Button>
        )}
      </div>
    </section>
  );
}
