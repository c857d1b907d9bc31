import { useEffect, useRef } from "react";

/** useInTurn lets what is asked for while an earlier act is under way wait for its end: a key that is pressed before the
 * server has answered is not lost. Of several that wait the newest counts. */
export function useInTurn(busy: boolean): (act: () => void) => void {
  const waits = useRef<() => void>(undefined);
  useEffect(() => {
    if (busy || !waits.current) return;
    const act = waits.current;
    waits.current = undefined;
    queueMicrotask(act); // once all that is drawn with the answer knows it
  }, [busy]);
  return (act) => {
    if (busy) waits.current = act;
    else act();
  };
}
