import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { t } from "../texts";
import { Button } from "../ui/button";

const s = t.voice.sounds;
const rate = 8_000; // Hz: what telephones carry
const longest = 180; // s

/** wavOf is sound of any form that this browser knows as a WAV file for the telephone: one channel, 16 bits, 8 kHz. */
async function wavOf(file: Blob): Promise<Blob> {
  const context = new AudioContext();
  let decoded: AudioBuffer;
  try {
    decoded = await context.decodeAudioData(await file.arrayBuffer());
  } catch {
    throw new Error(s.noSound);
  } finally {
    void context.close();
  }
  if (decoded.duration > longest) throw new Error(s.long);
  const offline = new OfflineAudioContext(1, Math.max(1, Math.ceil(decoded.duration * rate)), rate);
  const source = offline.createBufferSource();
  source.buffer = decoded;
  source.connect(offline.destination);
  source.start();
  const samples = (await offline.startRendering()).getChannelData(0);
  const wav = new DataView(new ArrayBuffer(44 + 2 * samples.length));
  const text = (at: number, word: string) => {
    [...word].forEach((c, i) => {
      wav.setUint8(at + i, c.charCodeAt(0));
    });
  };
  text(0, "RIFF");
  wav.setUint32(4, 36 + 2 * samples.length, true);
  text(8, "WAVEfmt ");
  wav.setUint32(16, 16, true);
  wav.setUint16(20, 1, true); // PCM
  wav.setUint16(22, 1, true);
  wav.setUint32(24, rate, true);
  wav.setUint32(28, 2 * rate, true);
  wav.setUint16(32, 2, true);
  wav.setUint16(34, 16, true);
  text(36, "data");
  wav.setUint32(40, 2 * samples.length, true);
  samples.forEach((x, i) => {
    wav.setInt16(44 + 2 * i, Math.round(32_767 * Math.max(-1, Math.min(1, x))), true);
  });
  return new Blob([wav.buffer], { type: "audio/wav" });
}

async function send(file: Blob): Promise<string> {
  const answer = await fetch("/api/sounds", { method: "POST", body: await wavOf(file) });
  const body = (await answer.json()) as { id?: string; detail?: string };
  if (!answer.ok || !body.id) throw new Error(body.detail ?? t.failed.unknown);
  return body.id;
}

/** SoundInput lets a text be heard as it is spoken, and be replaced by a sound that is recorded here or brought as a file. */
export function SoundInput({
  text,
  sound,
  onChange,
}: {
  text: string;
  sound: string | null;
  onChange: (id: string | null) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const [recorder, setRecorder] = useState<MediaRecorder>();
  const [playing, setPlaying] = useState<HTMLAudioElement>();
  useEffect(
    () => () => {
      playing?.pause();
    },
    [playing],
  );
  const bring = useMutation({ mutationFn: send, onSuccess: onChange });
  const record = useMutation({
    mutationFn: async () => {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true }).catch(() => {
        throw new Error(s.noMicrophone);
      });
      const made = new MediaRecorder(stream);
      const parts: Blob[] = [];
      made.ondataavailable = (e) => parts.push(e.data);
      made.onstop = () => {
        for (const track of stream.getTracks()) track.stop();
        setRecorder(undefined);
        bring.mutate(new Blob(parts, { type: made.mimeType }));
      };
      made.start();
      setTimeout(() => {
        if (made.state === "recording") made.stop();
      }, longest * 1000);
      setRecorder(made);
    },
  });
  const hear = () => {
    const audio = new Audio(sound ? `/api/sounds/${sound}` : `/api/spoken?text=${encodeURIComponent(text)}`);
    setPlaying(audio);
    void audio.play().catch(() => undefined);
  };
  const error = bring.error ?? record.error;
  return (
    <div className="mt-1 flex flex-wrap items-center gap-2" data-testid="sound-input" data-sound={sound ?? ""}>
      <Button disabled={!sound && !text.trim()} onClick={hear}>
        {s.hear}
      </Button>
      <Button
        disabled={bring.isPending}
        className={recorder ? "border-waiting bg-waiting-soft text-waiting" : ""}
        onClick={() => {
          if (recorder) recorder.stop();
          else record.mutate();
        }}
      >
        {recorder ? s.stop : s.record}
      </Button>
      <Button
        disabled={bring.isPending}
        onClick={() => {
          file.current?.click();
        }}
      >
        {s.bring}
      </Button>
      <input
        ref={file}
        type="file"
        accept="audio/*"
        hidden
        aria-label={s.bring}
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          if (chosen) bring.mutate(chosen);
          e.target.value = "";
        }}
      />
      {sound && (
        <>
          <span className="text-sm text-theirs">{s.own}</span>
          <Button
            look="quiet"
            onClick={() => {
              onChange(null);
            }}
          >
            {s.text}
          </Button>
        </>
      )}
      {error && (
        <span role="alert" className="text-sm text-ending">
          {error.message}
        </span>
      )}
    </div>
  );
}
