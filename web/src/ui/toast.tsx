import { Toast as R } from "radix-ui";
import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";

import { t } from "../texts";
import { Cross } from "./icons";

type Told = { id: number; text: string; bad: boolean; action: { label: string; run: () => void } | undefined };
type Tell = (text: string, options?: { bad?: boolean; action?: { label: string; run: () => void } }) => void;

const Context = createContext<Tell>(() => undefined);

/** useTell gives the way to say in passing that something was done, or was not. */
export const useTell = () => useContext(Context);

let next = 1;

export function ToastProvider({ children }: { children: ReactNode }) {
  const [told, setTold] = useState<Told[]>([]);
  const tell = useCallback<Tell>((text, options) => {
    setTold((all) => [...all.slice(-3), { id: next++, text, bad: options?.bad ?? false, action: options?.action }]);
  }, []);
  const drop = useCallback((id: number) => {
    setTold((all) => all.filter((x) => x.id !== id));
  }, []);
  return (
    <Context value={useMemo(() => tell, [tell])}>
      <R.Provider swipeDirection="right" duration={6000}>
        {children}
        {told.map((x) => (
          <R.Root
            key={x.id}
            duration={x.bad || x.action ? 12_000 : 6_000}
            type={x.bad ? "foreground" : "background"}
            onOpenChange={(open) => {
              if (!open) drop(x.id);
            }}
            className={`flex items-center gap-3 rounded-md border bg-sheet px-3 py-2 shadow-lg ${x.bad ? "border-ending" : "border-rule-strong"}`}
          >
            <R.Description className={x.bad ? "text-ending" : ""}>{x.text}</R.Description>
            {x.action && (
              <R.Action altText={x.action.label} asChild>
                <button
                  type="button"
                  className="min-h-6 font-semibold text-ours hover:underline"
                  onClick={x.action.run}
                >
                  {x.action.label}
                </button>
              </R.Action>
            )}
            <R.Close
              aria-label={t.close}
              className="inline-flex size-6 items-center justify-center text-quiet hover:text-ink"
            >
              <Cross />
            </R.Close>
          </R.Root>
        ))}
        <R.Viewport className="fixed right-4 bottom-4 z-50 flex w-[min(26rem,calc(100vw-2rem))] flex-col gap-2 outline-none" />
      </R.Provider>
    </Context>
  );
}
