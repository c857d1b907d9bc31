import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { keys } from "../api/keys";
import { t } from "../texts";
import { useTell } from "../ui/toast";

/** PlayMessage plays a message that was left, where it is owed. */
export function PlayMessage({ recording, heard }: { recording: string; heard: boolean }) {
  const client = useQueryClient();
  const tell = useTell();
  const audio = useRef<HTMLAudioElement>(undefined);
  const [playing, setPlaying] = useState(false);
  useEffect(
    () => () => {
      audio.current?.pause();
    },
    [],
  );
  const turn = () => {
    if (playing) {
      audio.current?.pause();
      return;
    }
    const a = (audio.current ??= new Audio(`/api/recordings/${recording}/sound`));
    a.onpause = a.onended = () => {
      setPlaying(false);
      void client.invalidateQueries({ queryKey: keys.lane() });
    };
    setPlaying(true);
    void a.play().catch(() => {
      setPlaying(false);
      tell(t.voice.message.failed, { bad: true });
    });
  };
  return (
    <button
      type="button"
      aria-pressed={playing}
      className="min-h-6 rounded-sm px-1.5 text-sm font-semibold text-ours hover:bg-ours-soft"
      onClick={turn}
    >
      {playing ? t.voice.message.stop : t.voice.message.play}
      {heard && !playing && <span className="font-normal text-quiet"> ({t.voice.message.heard})</span>}
    </button>
  );
}
