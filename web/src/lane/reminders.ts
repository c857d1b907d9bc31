// Says when a follow-up's time has come: in passing where somebody looks, as a notice of the system where the window is hidden.
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";

import { queries, serverNow } from "../api/queries";
import { useDial } from "../calls/dial";
import { t } from "../texts";
import { useNow } from "../ui/clock";
import { useTell } from "../ui/toast";

/** Those that were said in this window. */
const said = new Set<string>();

/** For how long after its time a follow-up is still worth a word, in milliseconds. */
const worth = 90_000;

/** useReminders says each follow-up once, when its time comes. */
export function useReminders() {
  const owed = useQuery(queries.lane).data?.owed;
  const tell = useTell();
  const { dial } = useDial();
  const now = useNow(5_000);
  useEffect(() => {
    for (const e of owed ?? []) {
      if (e.kind !== "follow_up" || !e.due_at || e.day_only) continue;
      const late = serverNow() - Date.parse(e.due_at);
      const key = `${e.id} ${e.due_at}`;
      if (late < 0 || late > worth || said.has(key)) continue;
      said.add(key);
      const name = e.record?.name ?? "";
      const text = t.after.reminder(name, e.text);
      const number = e.number;
      tell(
        text,
        number
          ? {
              action: {
                label: t.strip.call(number.label),
                run: () => {
                  dial({ number_id: number.id }, name);
                },
              },
            }
          : {},
      );
      if (document.hidden && "Notification" in window && Notification.permission === "granted") {
        new Notification(name, { body: e.text, tag: e.id });
      }
    }
  }, [owed, now, tell, dial]);
}
