// The sound of this browser: one connection to the server, kept between calls, in one window at a time.
import { useSyncExternalStore } from "react";

import { api, ask, type Schemas } from "../api/client";
import { t } from "../texts";

/** SoundStatus says how this window stands: on with a microphone, listening without one, the sound in another window, or why not. */
export type SoundStatus = "off" | "connecting" | "on" | "listening" | "elsewhere" | "failed";

type Sound = { status: SoundStatus; why: string; volume: number; microphone: string; loudspeaker: string };

const lock = "trundo-sound";
const storage = "trundo.sound";
const gatherAtMost = 2_000; // ms: a browser that finds no more ways by then offers what it has
const tryAgain = [500, 1_000, 2_000, 4_000, 8_000];

function kept(): Pick<Sound, "volume" | "microphone" | "loudspeaker"> {
  try {
    const k = JSON.parse(localStorage.getItem(storage) ?? "{}") as Partial<Sound>;
    return { volume: k.volume ?? 1, microphone: k.microphone ?? "", loudspeaker: k.loudspeaker ?? "" };
  } catch {
    return { volume: 1, microphone: "", loudspeaker: "" };
  }
}

let sound: Sound = { status: "off", why: "", ...kept() };
const listeners = new Set<() => void>();

function set(next: Partial<Sound>) {
  sound = { ...sound, ...next };
  for (const tell of listeners) tell();
}

function keep(next: Partial<Sound>) {
  set(next);
  const { volume, microphone, loudspeaker } = sound;
  try {
    localStorage.setItem(storage, JSON.stringify({ volume, microphone, loudspeaker }));
  } catch {
    // good for this window, then
  }
}

/** useSound is how the sound stands in this window. */
export const useSound = (): Sound =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => sound,
  );

let peer: RTCPeerConnection | undefined;
let stream: MediaStream | undefined;
let speaker: HTMLAudioElement | undefined;
let release: (() => void) | undefined; // gives the lock back
let wanted = false;
let tries = 0;
let timer: ReturnType<typeof setTimeout> | undefined;

/** ensureSound connects this window unless it is connected, or another window has the sound. */
export function ensureSound() {
  wanted = true;
  if (typeof RTCPeerConnection === "undefined") {
    set({ status: "failed", why: t.voice.cannot });
    return;
  }
  if (sound.status === "off" || sound.status === "failed") hold(false);
}

/** takeSound takes the sound over from another window. */
export function takeSound() {
  wanted = true;
  hold(true);
}

/** dropSound ends the connection of this window. */
export function dropSound() {
  wanted = false;
  close();
  release?.();
  release = undefined;
  set({ status: "off", why: "" });
}

/** hold gets the lock of the window that has the sound, and connects while it is held. */
function hold(steal: boolean) {
  // Web Locks are there only on a safe origin, as microphones are.
  const locks = (navigator as Partial<Navigator>).locks;
  if (!locks) {
    void connect();
    return;
  }
  set({ status: "connecting", why: "" });
  const withLock = () =>
    new Promise<void>((resolve) => {
      release = resolve;
      void connect();
    });
  const lost = () => {
    close();
    release = undefined;
    if (!wanted) return;
    set({ status: "elsewhere", why: "" });
    // When that window is closed the sound comes here.
    void locks.request(lock, withLock).catch(lost);
  };
  void locks
    .request(lock, steal ? { steal: true } : { ifAvailable: true }, (got) => {
      if (got) return withLock();
      lost();
      return undefined;
    })
    .catch(lost);
}

function close() {
  clearTimeout(timer);
  const old = peer;
  peer = undefined;
  old?.close();
  for (const track of stream?.getTracks() ?? []) track.stop();
  stream = undefined;
}

async function microphone(): Promise<MediaStream | undefined> {
  const devices = (navigator as Partial<Navigator>).mediaDevices;
  if (!devices) {
    set({ why: t.voice.unsafe });
    return undefined;
  }
  try {
    const chosen = sound.microphone ? { deviceId: { ideal: sound.microphone } } : {};
    return await devices.getUserMedia({ audio: chosen });
  } catch (e) {
    set({ why: e instanceof DOMException && e.name === "NotAllowedError" ? t.voice.notAllowed : t.voice.noMicrophone });
    return undefined;
  }
}

async function connect() {
  close();
  set({ status: "connecting", why: "" });
  const pc = new RTCPeerConnection();
  peer = pc;
  try {
    stream = await microphone();
    if (peer !== pc) return;
    const track = stream?.getAudioTracks()[0];
    if (track && stream) pc.addTrack(track, stream);
    else pc.addTransceiver("audio", { direction: "recvonly" });
    pc.ontrack = (e) => {
      play(e.streams[0] ?? new MediaStream([e.track]));
    };
    pc.onconnectionstatechange = () => {
      if (peer !== pc) return;
      if (pc.connectionState === "connected") {
        tries = 0;
        set({ status: track ? "on" : "listening" });
      } else if (pc.connectionState === "failed" || pc.connectionState === "disconnected") again(t.voice.broken);
    };
    await exchange(pc, (offer) => ask(api.POST("/api/sound", { body: { offer } })));
  } catch (e) {
    if (peer === pc) again(e instanceof Error ? e.message : t.voice.broken);
  }
}

/** exchange offers a connection to the server and takes its answer. */
export async function exchange(pc: RTCPeerConnection, send: (offer: string) => Promise<{ answer: string }>) {
  await pc.setLocalDescription(await pc.createOffer());
  await gathered(pc);
  const { answer } = await send(pc.localDescription?.sdp ?? "");
  if (pc.signalingState !== "closed") await pc.setRemoteDescription({ type: "answer", sdp: answer });
}

/** sendKeys sends keypad tones with the voice (RFC 4733); false: this window cannot, and they have to go another way. */
export function sendKeys(digits: string): boolean {
  const dtmf = sound.status === "on" ? peer?.getSenders()[0]?.dtmf : undefined;
  if (!dtmf?.canInsertDTMF) return false;
  try {
    dtmf.insertDTMF(dtmf.toneBuffer + digits, 100, 70);
    return true;
  } catch {
    return false; // telephone-event was not agreed on
  }
}

type Counted = { lost: number; came: number };
let counted: Counted = { lost: 0, came: 0 };

/** measure is what this browser has measured of its line since it was asked last; undefined while it is not connected. */
export async function measure(): Promise<Schemas["LineFigures"] | undefined> {
  if (!peer || (sound.status !== "on" && sound.status !== "listening")) return undefined;
  const figures = { loss: 0, jitter_ms: 0, round_trip_ms: 0 };
  for (const r of (await peer.getStats()).values() as Iterable<Record<string, unknown>>) {
    if (r.type === "inbound-rtp" && r.kind === "audio") {
      const now = { lost: Math.max(0, Number(r.packetsLost ?? 0)), came: Number(r.packetsReceived ?? 0) };
      const lost = Math.max(0, now.lost - counted.lost);
      const all = lost + Math.max(0, now.came - counted.came);
      counted = now;
      figures.loss = all > 0 ? Math.min(1, lost / all) : 0;
      figures.jitter_ms = 1000 * Number(r.jitter ?? 0);
    } else if (r.type === "candidate-pair" && r.nominated === true) {
      figures.round_trip_ms = 1000 * Number(r.currentRoundTripTime ?? 0);
    }
  }
  return figures;
}

/** gathered waits until the browser knows by which ways it can be reached, but not for ever. */
function gathered(pc: RTCPeerConnection) {
  return new Promise<void>((resolve) => {
    const done = setTimeout(resolve, gatherAtMost);
    pc.onicegatheringstatechange = () => {
      if (pc.iceGatheringState !== "complete") return;
      clearTimeout(done);
      resolve();
    };
  });
}

/** again connects once more after a while; the call goes on meanwhile. */
function again(why: string) {
  set({ status: "failed", why });
  clearTimeout(timer);
  const wait = tryAgain[Math.min(tries++, tryAgain.length - 1)];
  timer = setTimeout(() => {
    if (wanted) void connect();
  }, wait);
}

function play(media: MediaStream) {
  speaker ??= new Audio();
  speaker.srcObject = media;
  speaker.volume = sound.volume;
  void setSink(sound.loudspeaker);
  void speaker.play().catch(() => {
    // Browsers let nothing sound before the first click or key.
    const go = () => void speaker?.play();
    addEventListener("pointerdown", go, { once: true });
    addEventListener("keydown", go, { once: true });
  });
}

async function setSink(device: string) {
  const element = speaker as (HTMLAudioElement & { setSinkId?: (id: string) => Promise<void> }) | undefined;
  try {
    await element?.setSinkId?.(device);
  } catch {
    keep({ loudspeaker: "" }); // it is not there any more
  }
}

/** setVolume makes what is heard louder or softer, 0 to 1. */
export function setVolume(volume: number) {
  keep({ volume });
  if (speaker) speaker.volume = volume;
}

/** setLoudspeaker lets calls be heard by another device. */
export function setLoudspeaker(loudspeaker: string) {
  keep({ loudspeaker });
  void setSink(loudspeaker);
}

/** setMicrophone speaks by another device, also in the middle of a call. */
export async function setMicrophone(device: string) {
  keep({ microphone: device });
  const sender = peer?.getSenders()[0];
  if (sound.status !== "on" || !sender) {
    if (wanted && release) void connect();
    return;
  }
  const next = await microphone();
  const track = next?.getAudioTracks()[0];
  if (!next || !track) return;
  await sender.replaceTrack(track);
  for (const old of stream?.getTracks() ?? []) old.stop();
  stream = next;
}

/** level is how loud the microphone is just now, 0 to 1; the answer of watchLevel stops it. */
export function watchLevel(tell: (level: number) => void): () => void {
  const media = stream;
  if (!media) return () => undefined;
  const context = new AudioContext();
  const analyser = context.createAnalyser();
  context.createMediaStreamSource(media).connect(analyser);
  const samples = new Float32Array(analyser.fftSize);
  const every = setInterval(() => {
    analyser.getFloatTimeDomainData(samples);
    tell(Math.min(1, 4 * Math.sqrt(samples.reduce((sum, x) => sum + x * x, 0) / samples.length)));
  }, 100);
  return () => {
    clearInterval(every);
    void context.close();
  };
}
