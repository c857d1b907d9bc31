import { type ReactNode, useState } from "react";

import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Empty } from "../ui/states";

type Item = { id?: string | undefined; name: string; active: boolean; version?: number | undefined };

/** ListFrame is how lists of Settings stand: the list at the left, one of it as a form beside it. A form that was saved is made anew. */
export function ListFrame<T extends Item>({
  label,
  intro,
  items,
  fresh,
  words,
  aside,
  form,
}: {
  label: string;
  intro: string;
  items: T[];
  /** what a new one begins with */
  fresh: T;
  words: { none: string; add: string; off: string };
  aside?: (item: T) => ReactNode;
  form: (item: T, onSaved: (id: string | undefined) => void) => ReactNode;
}) {
  const [chosen, setChosen] = useState<string>();
  const item = chosen === "new" ? undefined : (items.find((x) => x.id === chosen) ?? items[0]);
  const isNew = chosen === "new";
  return (
    <div>
      <p className="mb-3 max-w-prose text-quiet">{intro}</p>
      <div className="flex gap-6 max-[63.9rem]:flex-col">
        <div className="w-52 shrink-0">
          {items.length === 0 && <Empty>{words.none}</Empty>}
          <ul aria-label={label}>
            {items.map((x) => (
              <li key={x.id} className="border-b border-rule">
                <button
                  type="button"
                  aria-current={x.id === item?.id}
                  className={`flex min-h-9 w-full items-baseline justify-between gap-2 px-1.5 py-1 text-left hover:bg-rule/40 ${x.id === item?.id ? "bg-ours-soft" : ""}`}
                  onClick={() => {
                    setChosen(x.id);
                  }}
                >
                  <span className="min-w-0">
                    <span className="name block truncate">{x.name}</span>
                    {aside?.(x)}
                  </span>
                  {!x.active && <Badge tone="quiet">{words.off}</Badge>}
                </button>
              </li>
            ))}
          </ul>
          <Button
            className="mt-3"
            onClick={() => {
              setChosen("new");
            }}
          >
            {words.add}
          </Button>
        </div>
        {(item ?? isNew) && (
          <div key={item ? `${item.id ?? ""} ${String(item.version)}` : "new"} className="min-w-0 flex-1">
            {form(item ?? fresh, setChosen)}
          </div>
        )}
      </div>
    </div>
  );
}
