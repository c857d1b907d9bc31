import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type MouseEvent, type ReactNode, useEffect, useId, useRef, useState } from "react";

export type Column<Row> = {
  key: string;
  label: string;
  width: string;
  cell: (row: Row) => ReactNode;
  sort?: { direction: "up" | "down" | undefined; label: string; onSort: () => void };
};

/** Picking lets rows be picked one by one, in a range with Shift, or all that are loaded. */
export type Picking<Row> = {
  picked: (row: Row) => boolean;
  label: (row: Row) => string;
  allLabel: string;
  all: boolean;
  toggle: (row: Row, index: number, range: boolean) => void;
  toggleAll: () => void;
};

const rowHeight = 34;

/**
 * Table shows any number of rows, of which only those in sight are drawn; those that are not loaded yet are asked for
 * with onSight. One row is current: the arrow keys move it, Enter opens it, Shift+Enter does the second thing, or goes to its number,
 * Space picks it.
 */
export function Table<Row>({
  label,
  columns,
  count,
  rowAt,
  idOf,
  onOpen,
  onSecond,
  onSight,
  picking,
}: {
  label: string;
  columns: Column<Row>[];
  count: number;
  rowAt: (index: number) => Row | undefined;
  idOf: (row: Row) => string;
  onOpen: (row: Row) => void;
  onSecond?: (row: Row) => void;
  onSight?: ((first: number, last: number) => void) | undefined;
  picking?: Picking<Row>;
}) {
  const id = useId();
  const scroller = useRef<HTMLDivElement>(null);
  const [current, setCurrent] = useState(0);
  const at = Math.min(current, Math.max(0, count - 1));
  // eslint-disable-next-line react-hooks/incompatible-library -- the virtualizer's functions are used here only
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const first = items.at(0)?.index ?? 0;
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    onSight?.(first, last);
  }, [first, last, onSight]);
  const move = (to: number) => {
    const next = Math.min(count - 1, Math.max(0, to));
    setCurrent(next);
    virtual.scrollToIndex(next);
    return next;
  };
  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 0) / rowHeight) - 1);
    const to = {
      ArrowDown: at + 1,
      ArrowUp: at - 1,
      PageDown: at + page,
      PageUp: at - page,
      Home: 0,
      End: count - 1,
    }[e.key];
    const row = rowAt(at);
    if (to !== undefined) {
      const from = rowAt(at);
      const next = move(to);
      const reached = rowAt(next);
      if (e.shiftKey && picking && from && reached) {
        if (!picking.picked(from)) picking.toggle(from, at, false);
        if (!picking.picked(reached)) picking.toggle(reached, next, true);
      }
    } else if (e.key === "Enter" && e.shiftKey && row) {
      if (onSecond) onSecond(row);
      else
        document
          .getElementById(`${id}-${String(at)}`)
          ?.querySelector<HTMLElement>("[data-number]")
          ?.focus();
    } else if (e.key === "Enter" && row) onOpen(row);
    else if (e.key === " " && row && picking) picking.toggle(row, at, e.shiftKey);
    else return;
    e.preventDefault();
  };
  const widths = columns.map((c) => c.width);
  const template = { gridTemplateColumns: (picking ? ["2rem", ...widths] : widths).join(" ") };
  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label={label}
      aria-rowcount={count + 1}
      aria-multiselectable={picking ? true : undefined}
      aria-activedescendant={count > 0 ? `${id}-${String(at)}` : undefined}
      onKeyDown={onKeyDown}
      className="group max-h-[calc(100dvh-6rem)] min-h-0 flex-1 overflow-auto outline-offset-[-2px]"
      data-testid="rows"
    >
      <div
        role="row"
        aria-rowindex={1}
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-sheet text-sm text-quiet"
        style={template}
      >
        {picking && (
          <span role="columnheader" className="flex items-center justify-center">
            <Pick label={picking.allLabel} on={picking.all} onClick={picking.toggleAll} />
          </span>
        )}
        {columns.map((c) => (
          <span
            key={c.key}
            role="columnheader"
            className="truncate px-2"
            aria-sort={
              c.sort?.direction ? (c.sort.direction === "up" ? "ascending" : "descending") : c.sort ? "none" : undefined
            }
          >
            {c.sort ? (
              <button
                type="button"
                title={c.sort.label}
                onClick={c.sort.onSort}
                className={`min-h-7 max-w-full truncate hover:text-ink hover:underline ${c.sort.direction ? "font-semibold text-ink" : ""}`}
              >
                {c.label}
                {c.sort.direction && <span aria-hidden> {c.sort.direction === "up" ? "↑" : "↓"}</span>}
              </button>
            ) : (
              <span className="inline-flex min-h-7 items-center">{c.label}</span>
            )}
          </span>
        ))}
      </div>
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {items.map((item) => {
          const row = rowAt(item.index);
          const place = { ...template, height: rowHeight, transform: `translateY(${String(item.start)}px)` };
          if (row === undefined) {
            return (
              <div
                key={`at ${String(item.index)}`}
                id={`${id}-${String(item.index)}`}
                role="row"
                aria-rowindex={item.index + 2}
                className="absolute inset-x-0 grid items-center border-b border-rule"
                style={place}
              >
                <span role="gridcell" className="col-span-full px-2 text-quiet">
                  …
                </span>
              </div>
            );
          }
          const picked = picking?.picked(row) ?? false;
          return (
            <div
              key={idOf(row)}
              id={`${id}-${String(item.index)}`}
              role="row"
              aria-rowindex={item.index + 2}
              aria-selected={picking ? picked : item.index === at}
              onClick={() => {
                setCurrent(item.index);
                onOpen(row);
              }}
              className={`absolute inset-x-0 grid cursor-pointer items-center border-b border-rule hover:bg-paper ${picked ? "bg-ours-soft" : ""} ${item.index === at ? "group-focus-visible:outline-2 group-focus-visible:outline-offset-[-2px] group-focus-visible:outline-ours" : ""}`}
              style={place}
            >
              {picking && (
                <span role="gridcell" className="flex items-center justify-center">
                  <Pick
                    label={picking.label(row)}
                    on={picked}
                    tabIndex={-1}
                    onClick={(e) => {
                      e.stopPropagation();
                      setCurrent(item.index);
                      picking.toggle(row, item.index, e.shiftKey);
                    }}
                  />
                </span>
              )}
              {columns.map((c) => (
                <span key={c.key} role="gridcell" className="min-w-0 truncate px-2">
                  {c.cell(row)}
                </span>
              ))}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** Pick is a box that is ticked or not, at least 24 px to click. */
function Pick({
  label,
  on,
  onClick,
  tabIndex,
}: {
  label: string;
  on: boolean;
  onClick: (e: MouseEvent) => void;
  tabIndex?: number;
}) {
  return (
    <button
      type="button"
      role="checkbox"
      aria-checked={on}
      aria-label={label}
      tabIndex={tabIndex}
      onClick={onClick}
      className="inline-flex size-6 items-center justify-center"
    >
      <span
        aria-hidden
        className={`inline-flex size-3.5 items-center justify-center rounded-sm border text-[0.6rem] leading-none ${on ? "border-ours bg-ours text-on-ours" : "border-edge bg-sheet"}`}
      >
        {on ? "✓" : ""}
      </span>
    </button>
  );
}
