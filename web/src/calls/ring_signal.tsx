// What is heard and shown of a ring by somebody who does not look at this window.
import { noticeOf } from "./ring_notice";
import { useEffect, useState } from "react";

import type { Schemas } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { read, ringsAloud, write } from "./ring_choices";
import { callerOf } from "./rings";

const askedKey = "trundo.ring-notice-asked";

/** afterDrawn does something once what has just changed has been drawn; at once where nobody looks. */
function afterDrawn(act: () => void): () => void {
  if (document.hidden) {
    act();
    return () => undefined;
  }
  let timer: ReturnType<typeof setTimeout>;
  const frame = requestAnimationFrame(() => {
    timer = setTimeout(act);
  });
  return () => {
    cancelAnimationFrame(frame);
    clearTimeout(timer);
  };
}

/** RingSignal sounds while a call rings, quietly where one is being spoken, and tells the system while the window is hidden. It asks for that once. */
export function RingSignal({ ring, quiet }: { ring: Schemas["Ring"] | undefined; quiet: boolean }) {
  const [asked, setAsked] = useState(() => read(askedKey) === "yes");
  useEffect(() => {
    void import("./ring_sound").catch(() => undefined); // so that it is there when it rings
  }, []);
  const id = ring?.call_id;
  const who = ring ? callerOf(ring) : "";
  useEffect(() => {
    if (!id || !ringsAloud() || typeof AudioContext === "undefined") return;
    let stop: (() => void) | undefined;
    let over = false;
    const leave = afterDrawn(() => {
      void import("./ring_sound").then(
        (sound) => {
          if (!over) stop = sound.ringOn(quiet);
        },
        () => undefined, // no sound, then
      );
    });
    return () => {
      over = true;
      leave();
      stop?.();
    };
  }, [id, quiet]);
  useEffect(() => {
    if (!id || !document.hidden || typeof Notification === "undefined" || Notification.permission !== "granted") return;
    return noticeOf(id, who);
  }, [id, who]);
  const may = typeof Notification !== "undefined" && Notification.permission === "default";
  if (!id || asked || !may) return null;
  const settle = () => {
    write(askedKey, "yes");
    setAsked(true);
  };
  return (
    <p className="mt-1 flex items-center gap-2 text-sm text-quiet">
      {t.ring.hidden}
      <Button
        onClick={() => {
          settle();
          void Notification.requestPermission();
        }}
      >
        {t.ring.hiddenYes}
      </Button>
      <Button look="quiet" onClick={settle}>
        {t.ring.hiddenNo}
      </Button>
    </p>
  );
}
