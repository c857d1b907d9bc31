// How it sounds that it rings. It is loaded once somebody is signed in, apart from what is drawn.
import { ringDevice } from "./ring_choices";

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

/** chimeOnce lets the ring be heard once. */
export async function chimeOnce() {
  const context = await ringContext();
  await context.resume();
  chime(context, 0.12);
  setTimeout(() => void context.close(), 1_500);
}

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

/** ringOn sounds until what it gives is called; quiet: while one is being spoken. */
export function ringOn(quiet: boolean): () => void {
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
  void begin().catch(() => undefined);
  const timer = setInterval(play, 2_500);
  return () => {
    over = true;
    clearInterval(timer);
    if (mine === newest) void kept?.context.then((c) => c.suspend());
  };
}
