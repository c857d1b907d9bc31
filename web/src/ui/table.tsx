import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, useEffect, useId, useRef, useState } from "react";

export type Column<Row> = { key: string; label: string; width: string; cell: (row: Row) => ReactNode };

const rowHeight = 34;

/**
 * Table shows any number of rows, of which only those in sight are drawn. One row is current: the arrow keys move it, Enter
 * opens it, Shift+Enter does the second thing.
 */
export function Table<Row>({
  label,
  columns,
  rows,
  idOf,
  onOpen,
  onSecond,
  onEnd,
  more,
}: {
  label: string;
  columns: Column<Row>[];
  rows: Row[];
  idOf: (row: Row) => string;
  onOpen: (row: Row) => void;
  onSecond?: (row: Row) => void;
  onEnd?: (() => void) | undefined;
  more?: ReactNode;
}) {
  const id = useId();
  const scroller = useRef<HTMLDivElement>(null);
  const [current, setCurrent] = useState(0);
  const at = Math.min(current, Math.max(0, rows.length - 1));
  // eslint-disable-next-line react-hooks/incompatible-library -- the virtualizer's functions are used here only
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (onEnd && rows.length > 0 && last > rows.length - 25) onEnd();
  }, [last, rows.length, onEnd]);
  const move = (to: number) => {
    const next = Math.min(rows.length - 1, Math.max(0, to));
    setCurrent(next);
    virtual.scrollToIndex(next);
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
      End: rows.length - 1,
    }[e.key];
    const row = rows[at];
    if (to !== undefined) move(to);
    else if (e.key === "Enter" && row) (e.shiftKey && onSecond ? onSecond : onOpen)(row);
    else return;
    e.preventDefault();
  };
  const template = { gridTemplateColumns: columns.map((c) => c.width).join(" ") };
  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label={label}
      aria-rowcount={rows.length + 1}
      aria-activedescendant={rows.length > 0 ? `${id}-${String(at)}` : undefined}
      onKeyDown={onKeyDown}
      className="group min-h-0 flex-1 overflow-auto outline-offset-[-2px]"
      data-testid="rows"
    >
      <div
        role="row"
        aria-rowindex={1}
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-sheet text-sm text-quiet"
        style={template}
      >
        {columns.map((c) => (
          <span key={c.key} role="columnheader" className="px-2 py-1">
            {c.label}
          </span>
        ))}
      </div>
      <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {items.map((item) => {
          const row = rows[item.index];
          if (row === undefined) return null;
          return (
            <div
              key={idOf(row)}
              id={`${id}-${String(item.index)}`}
              role="row"
              aria-rowindex={item.index + 2}
              aria-selected={item.index === at}
              onClick={() => {
                setCurrent(item.index);
                onOpen(row);
              }}
              className={`absolute inset-x-0 grid cursor-pointer items-center border-b border-rule hover:bg-paper ${item.index === at ? "group-focus-visible:bg-ours-soft" : ""}`}
              style={{ ...template, height: rowHeight, transform: `translateY(${String(item.start)}px)` }}
            >
              {columns.map((c) => (
                <span key={c.key} role="gridcell" className="min-w-0 truncate px-2">
                  {c.cell(row)}
                </span>
              ))}
            </div>
          );
        })}
      </div>
      {more}
    </div>
  );
}
