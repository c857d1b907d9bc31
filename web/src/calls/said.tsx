import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { duration } from "../ui/clock";
import { lettersOf } from "./letters";

const w = t.voice.words;

/** Words are what was said in a recording: the phrase that is heard stands out, and a click goes to it. */
export function Words({
  recording,
  at,
  go,
  topics = [],
}: {
  recording: string;
  at: number;
  go: (seconds: number) => void;
  topics?: Schemas["SaidTopic"][];
}) {
  const words = useQuery(queries.words(recording)).data;
  if (!words) return null;
  if (words.phrases.length === 0) return <p className="mt-2 text-sm text-quiet">{w.none}</p>;
  const now = words.phrases.findLastIndex((x) => x.from_ms <= 1000 * at);
  return (
    <details className="mt-3" data-testid="words">
      <summary className="cursor-pointer text-quiet">{w.title}</summary>
      <ol className="mt-1 max-h-64 overflow-y-auto">
        {words.phrases.map((x, i) => (
          <li key={i}>
            <button
              type="button"
              aria-current={i === now}
              className={`flex w-full gap-3 rounded-sm px-1 py-0.5 text-left hover:bg-rule/60 ${i === now ? "bg-rule/60" : ""}`}
              onClick={() => {
                go(x.from_ms / 1000);
              }}
            >
              <span className="w-10 shrink-0 text-right font-mono text-sm text-quiet">{duration(x.from_ms)}</span>
              <span className={`w-10 shrink-0 text-sm ${x.ours ? "text-ours" : "text-theirs"}`}>
                {x.ours ? w.we : w.they}
              </span>
              <span>
                {x.text}
                {lettersOf(topics)
                  .filter((y) => y.topic.ours === x.ours && y.topic.at_ms < x.to_ms && y.topic.to_ms > x.from_ms)
                  .map((y) => (
                    <span
                      key={y.topic.topic_id}
                      className="ml-1.5 rounded-sm bg-rule px-1 text-sm"
                      title={y.topic.name}
                    >
                      {y.letter} <span className="sr-only">{y.topic.name}</span>
                    </span>
                  ))}
              </span>
            </button>
          </li>
        ))}
      </ol>
      <p className="mt-1 flex gap-4 text-sm text-quiet">
        {(words.ours_known ? w.both : w.theirs)(words.source)}
        <a className="underline" href={`/api/recordings/${recording}/words.vtt`} download>
          {w.file}
        </a>
      </p>
    </details>
  );
}
