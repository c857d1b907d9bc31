import { useState } from "react";

import { insight as x } from "../texts/insight";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field, PickSelect } from "../ui/field";
import { periodText } from "./asked";

const other = "other";

/** PeriodPick chooses a time: one that moves along, or fixed days. */
export function PeriodPick({ period, onPick }: { period: string; onPick: (period: string) => void }) {
  const [asking, setAsking] = useState(false);
  const [from, setFrom] = useState("");
  const [until, setUntil] = useState("");
  const known = period in x.periods;
  return (
    <>
      <PickSelect
        label={x.period}
        hidden
        aside
        value={period}
        onPick={(next) => {
          if (next === other) setAsking(true);
          else onPick(next);
        }}
      >
        {!known && <option value={period}>{periodText(period)}</option>}
        {Object.entries(x.periods).map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
        <option value={other}>{x.otherPeriod}</option>
      </PickSelect>
      <Dialog
        open={asking}
        onClose={() => {
          setAsking(false);
        }}
        title={x.period}
        actions={
          <Button look="ours" type="submit" form="period" disabled={!from || !until || until < from}>
            {x.find.look}
          </Button>
        }
      >
        <form
          id="period"
          className="flex gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            if (!from || !until || until < from) return;
            setAsking(false);
            onPick(`${from}/${until}`);
          }}
        >
          <Field
            label={x.from}
            type="date"
            value={from}
            onChange={(e) => {
              setFrom(e.target.value);
            }}
          />
          <Field
            label={x.until}
            type="date"
            value={until}
            onChange={(e) => {
              setUntil(e.target.value);
            }}
          />
        </form>
      </Dialog>
    </>
  );
}
