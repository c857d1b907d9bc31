// What is heard and shown of a ring by somebody who does not look at this window.
import { noticeOf } from "./ring_notice";
import { useEffect, useState } from "react";

import type { Schemas } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { callerOf } from "./rings";

const soundKey = "trundo.ring-sound";
const askedKey = "trundo.ring-notice-asked";

const read = (key: string) => {
  try {
    return localStorage.getItem(key);
  } catch {
    return null;
  }
};
const write = (key: string, value: string) => {
  try {
    localStorage.setItem(key, value);
  } catch {
    // good for this window, then
  }
};

const deviceKey = "trundo.ring-device";
export const ringDevice = () => read(deviceKey) ?? "";
export const setRingDevice = (device: string) => {
  write(deviceKey, device);
};

/** ringContext makes sound where the ring is to be heard: a loudspeaker is louder than a headset that lies on the desk. */
async function ringContext(): Promise<AudioContext> {
  const context: AudioContext & { setSinkId?: (id: string) => Promise<void> } = new AudioContext();
  try {
    await context.setSinkId?.(ringDevice());
  } catch {
    // it is not there any more: the usual one, then
  }
  return context;
}

let newest = 0; // of the rings that were heard: only its end silences what is kept
let kept: { device: string; context: Promise<AudioContext> } | undefined;

/** keptContext is what the last ring was heard from: to open one takes a browser some ten milliseconds. */
function keptContext(): Promise<AudioContext> {
  if (kept?.device !== ringDevice()) {
    void kept?.context.then((c) => c.close());
    kept = { device: ringDevice(), context: ringContext() };
  }
  return kept.context;
}

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

/** chimeOnce lets the ring be heard once. */
export async function chimeOnce() {
  const context = await ringContext();
  await context.resume();
  chime(context, 0.12);
  setTimeout(() => void context.close(), 1_500);
}

export const ringsAloud = () => read(soundKey) !== "off";
export const setRingsAloud = (on: boolean) => {
  write(soundKey, on ? "on" : "off");
};

/** chime plays two soft tones, once. Browsers allow it after the first click on the page; before, it stays silent. */
function chime(context: AudioContext, volume: number) {
  for (const [at, frequency] of [
    [0, 587.3],
    [0.22, 784],
  ] as const) {
    const tone = context.createOscillator();
    const gain = context.createGain();
    tone.frequency.value = frequency;
    gain.gain.setValueAtTime(0, context.currentTime + at);
    gain.gain.linearRampToValueAtTime(volume, context.currentTime + at + 0.02);
    gain.gain.exponentialRampToValueAtTime(0.001, context.currentTime + at + 0.5);
    tone.connect(gain).connect(context.destination);
    tone.start(context.currentTime + at);
    tone.stop(context.currentTime + at + 0.55);
  }
}

/** RingSignal sounds while a call rings, quietly where one is being spoken, and tells the system while the window is hidden. It asks for that once. */
export function RingSignal({ ring, quiet }: { ring: Schemas["Ring"] | undefined; quiet: boolean }) {
  const [asked, setAsked] = useState(() => read(askedKey) === "yes");
  const id = ring?.call_id;
  const who = ring ? callerOf(ring) : "";
  useEffect(() => {
    if (!id || !ringsAloud() || typeof AudioContext === "undefined") return;
    let context: AudioContext | undefined;
    let over = false;
    const mine = ++newest;
    const play = () => {
      if (context?.state === "running") chime(context, quiet ? 0.03 : 0.12);
    };
    const begin = async () => {
      const made = await keptContext();
      if (over) return;
      await made.resume();
      context = made;
      play();
    };
    const leave = afterDrawn(() => void begin().catch(() => undefined));
    const timer = setInterval(play, 2_500);
    return () => {
      over = true;
      leave();
      clearInterval(timer);
      if (mine === newest) void kept?.context.then((c) => c.suspend());
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
