import { useState } from "react";

import { routes as r } from "../texts/routes";
import { Button } from "../ui/button";

/** Hear plays a text as callers hear it. */
export function Hear({ text, language, sound }: { text: string; language: string; sound?: string | undefined }) {
  const [audio, setAudio] = useState<HTMLAudioElement>();
  return (
    <Button
      look="quiet"
      className="!min-h-6 !py-0"
      onClick={() => {
        audio?.pause();
        const src = sound
          ? `/api/sounds/${sound}`
          : `/api/spoken?${new URLSearchParams({ text, language }).toString()}`;
        const next = new Audio(src);
        setAudio(next);
        void next.play().catch(() => undefined);
      }}
    >
      {r.hear}
    </Button>
  );
}
