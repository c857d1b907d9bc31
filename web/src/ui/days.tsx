import { useState } from "react";

import { t } from "../texts";
import { Button } from "./button";
import { Chip } from "./chip";
import { longDate } from "./times";

/** Days is a set of dates, each to be taken out; a new one comes from a calendar. */
export function Days({
  label,
  value,
  onChange,
  problem,
}: {
  label: string;
  value: string[]; // "2026-12-25"
  onChange: (value: string[]) => void;
  problem?: string | undefined;
}) {
  const [day, setDay] = useState("");
  return (
    <fieldset className="min-w-0" aria-invalid={problem ? true : undefined}>
      <legend className="mb-1 text-sm text-quiet">{label}</legend>
      <div className="flex flex-wrap items-center gap-1.5">
        {value.map((d) => (
          <Chip
            key={d}
            removeLabel={t.in.week.removeDay(longDate(d))}
            remove={() => {
              onChange(value.filter((x) => x !== d));
            }}
          >
            {longDate(d)}
          </Chip>
        ))}
        <input
          type="date"
          aria-label={t.in.week.day}
          value={day}
          onChange={(e) => {
            setDay(e.target.value);
          }}
          className="h-7 rounded-sm border border-edge bg-sheet px-1.5 text-sm"
        />
        <Button
          disabled={day === "" || value.includes(day)}
          onClick={() => {
            onChange([...value, day].sort());
            setDay("");
          }}
        >
          {t.in.week.addDay}
        </Button>
      </div>
      {problem && (
        <p role="alert" className="mt-1 text-sm text-ending">
          {problem}
        </p>
      )}
    </fieldset>
  );
}
