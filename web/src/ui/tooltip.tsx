import { Tooltip as T } from "radix-ui";
import { type ReactNode } from "react";

export const TooltipProvider = ({ children }: { children: ReactNode }) => (
  <T.Provider delayDuration={350}>{children}</T.Provider>
);

/** Tooltip says, on hover and on focus, what a click will do. */
export function Tooltip({ text, children }: { text: string; children: ReactNode }) {
  return (
    <T.Root>
      <T.Trigger asChild>{children}</T.Trigger>
      <T.Portal>
        <T.Content
          sideOffset={4}
          collisionPadding={8}
          className="z-50 max-w-72 rounded-sm border border-rule-strong bg-sheet px-2 py-1 text-sm text-ink shadow-md"
        >
          {text}
        </T.Content>
      </T.Portal>
    </T.Root>
  );
}
