import { Popover } from "radix-ui";

import type { Call } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Cross } from "../ui/icons";
import { clockTime, clockTimeIn, dayShort, fromInput, toInput } from "../ui/times";
import { editItem, type PlanItem } from "./plan";

const o = t.after.outcomes;

/** whenOf says when an item is due: here, and there where that differs. */
export function whenOf(item: Pick<PlanItem, "due_at" | "day_only">, zone?: string): string {
  if (!item.due_at) return "";
  if (item.day_only) return dayShort(item.due_at);
  const here = clockTime(item.due_at);
  const there = zone ? clockTimeIn(Date.parse(item.due_at), zone) : "";
  return `${dayShort(item.due_at)} ${here}${there && there !== here ? ` (${o.there(there)})` : ""}`;
}

const editable = (item: PlanItem) => item.due_at !== null || item.kind === "new_case";

/** PlanItems are what filing will do, in order: each can be struck out, and some be edited. */
export function PlanItems({
  call,
  outcome,
  items,
  zone,
}: {
  call: Call;
  outcome: string;
  items: PlanItem[];
  zone?: string | undefined;
}) {
  if (items.length === 0) return null;
  return (
    <ul aria-label={o.does} data-testid="plan" className="flex flex-wrap gap-1">
      {items.map((item) => (
        <li
          key={item.effect}
          title={item.problem || item.words}
          className={`inline-flex max-w-full items-center rounded-sm border text-sm ${item.problem ? "border-dashed border-rule-strong text-quiet" : "border-rule-strong"}`}
        >
          <Popover.Root>
            <Popover.Trigger asChild disabled={!editable(item) || item.struck || item.problem !== ""}>
              <button
                type="button"
                className={`min-h-6 min-w-0 truncate px-1.5 text-left ${editable(item) && !item.struck && !item.problem ? "hover:text-ours hover:underline" : ""} ${item.struck ? "text-quiet line-through" : ""}`}
              >
                {item.words}
                {item.due_at && !item.problem && <span className="font-semibold"> {whenOf(item, zone)}</span>}
                {(item.kind === "follow_up" || item.kind === "new_case") && item.text && `: ${item.text}`}
                {item.problem && `: ${item.problem}`}
              </button>
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                sideOffset={4}
                role="dialog"
                aria-label={item.words}
                className="z-50 flex w-80 flex-col gap-2 rounded-md border border-rule-strong bg-sheet p-3 shadow-lg"
              >
                <Field
                  label={o.text}
                  maxLength={500}
                  value={item.text}
                  onChange={(e) => {
                    editItem(call.slip.id, outcome, item.effect, { text: e.target.value });
                  }}
                />
                {item.due_at && (
                  <Field
                    label={o.due}
                    type={item.day_only ? "date" : "datetime-local"}
                    value={toInput(item.due_at, item.day_only)}
                    onChange={(e) => {
                      const at = fromInput(e.target.value);
                      if (at) editItem(call.slip.id, outcome, item.effect, { due_at: at });
                    }}
                  />
                )}
                <Popover.Close asChild>
                  <Button look="ours" className="self-end">
                    {o.done}
                  </Button>
                </Popover.Close>
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
          {!item.problem && (
            <button
              type="button"
              aria-pressed={item.struck}
              aria-label={item.struck ? o.doIt(item.words) : o.strike(item.words)}
              title={item.struck ? o.doIt(item.words) : o.strike(item.words)}
              onClick={() => {
                editItem(call.slip.id, outcome, item.effect, { struck: !item.struck });
              }}
              className="inline-flex size-6 shrink-0 items-center justify-center text-quiet hover:text-ending"
            >
              {item.struck ? "↺" : <Cross />}
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}
