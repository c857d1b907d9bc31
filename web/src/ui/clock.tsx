import { useEffect, useState } from "react";

import { serverNow } from "../api/queries";

/** useNow gives the server's time, and draws again as often as asked. */
export function useNow(everyMs: number): number {
  const [now, setNow] = useState(serverNow);
  useEffect(() => {
    const timer = setInterval(() => {
      setNow(serverNow());
    }, everyMs);
    return () => {
      clearInterval(timer);
    };
  }, [everyMs]);
  return now;
}

/** duration writes milliseconds as 0:07, 12:34 or 1:02:03. */
export function duration(ms: number): string {
  const s = Math.max(0, Math.floor(ms / 1000));
  const two = (n: number) => String(n).padStart(2, "0");
  const h = Math.floor(s / 3600);
  return h > 0
    ? `${String(h)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`
    : `${String(Math.floor(s / 60))}:${two(s % 60)}`;
}
