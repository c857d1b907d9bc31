// What the system says while a call rings and the window is hidden: where the browser allows it with buttons that take and decline it.
import { useEffect, useRef } from "react";

import { t } from "../texts";

type Said = { ring: string; act: "look" | "answer" | "decline" };

// Buttons of a notification are not in every browser, so not in the types.
type WithButtons = NotificationOptions & { actions: { action: string; title: string }[] };

/** noticeOf tells of a call, and gives what takes the notice away again. */
export function noticeOf(id: string, who: string): () => void {
  const text = t.ring.notice(who);
  let over = false;
  let plain: Notification | undefined;
  const tell = async () => {
    const worker = await navigator.serviceWorker?.getRegistration();
    if (over) return;
    if (worker?.active) {
      const options: WithButtons = {
        tag: id,
        requireInteraction: true,
        actions: [
          { action: "answer", title: t.ring.answer },
          { action: "decline", title: t.ring.decline },
        ],
      };
      await worker.showNotification(text, options);
      if (over) await close();
      return;
    }
    plain = new Notification(text, { tag: id, requireInteraction: true });
    plain.onclick = () => {
      window.focus();
      plain?.close();
    };
  };
  const close = async () => {
    plain?.close();
    const worker = await navigator.serviceWorker?.getRegistration();
    for (const n of (await worker?.getNotifications({ tag: id })) ?? []) n.close();
  };
  void tell();
  return () => {
    over = true;
    void close();
  };
}

/** useNoticeActs does what was pressed on the notice of a call. */
export function useNoticeActs(id: string, acts: { answer: () => void; decline: () => void }) {
  const newest = useRef(acts);
  useEffect(() => {
    newest.current = acts;
  });
  useEffect(() => {
    const worker = navigator.serviceWorker as ServiceWorkerContainer | undefined;
    const heard = (e: MessageEvent<Said>) => {
      if (e.data.ring !== id) return;
      if (e.data.act === "answer") newest.current.answer();
      else if (e.data.act === "decline") newest.current.decline();
    };
    worker?.addEventListener("message", heard);
    return () => worker?.removeEventListener("message", heard);
  }, [id]);
}
