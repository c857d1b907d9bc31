import { Dialog as D } from "radix-ui";
import { type ReactNode } from "react";

import { t } from "../texts";
import { IconButton } from "./button";
import { Cross } from "./icons";

/** Dialog asks or tells something that has to be settled first. Esc closes it. The focus goes back to where it was, or where afterwards puts it. */
export function Dialog({
  open,
  onClose,
  title,
  children,
  actions,
  afterwards,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
  actions?: ReactNode;
  afterwards?: () => void;
}) {
  return (
    <D.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <D.Portal>
        <D.Overlay className="fixed inset-0 z-40 bg-ink/30" />
        <D.Content
          aria-describedby={undefined}
          onCloseAutoFocus={(e) => {
            if (!afterwards) return;
            e.preventDefault();
            afterwards();
          }}
          className="fixed top-24 left-1/2 z-50 max-h-[80vh] w-[min(34rem,calc(100vw-2rem))] -translate-x-1/2 overflow-auto rounded-md border border-rule-strong bg-sheet p-5 shadow-lg"
        >
          <div className="mb-3 flex items-start justify-between gap-4">
            <D.Title className="name text-lg">{title}</D.Title>
            <D.Close asChild>
              <IconButton label={t.close}>
                <Cross />
              </IconButton>
            </D.Close>
          </div>
          {children}
          {actions && <div className="mt-5 flex flex-wrap justify-end gap-2">{actions}</div>}
        </D.Content>
      </D.Portal>
    </D.Root>
  );
}
