import type { Schemas } from "../api/client";
import { insight } from "../texts/insight";
import { duration } from "../ui/clock";
import { lettersOf } from "./letters";

/** TopicLetters stand above the voice trace where a topic was said; a click goes there. Beneath they are explained. */
export function TopicLetters({
  topics,
  ms,
  go,
}: {
  topics: Schemas["SaidTopic"][];
  ms: number;
  go: (seconds: number) => void;
}) {
  if (topics.length === 0) return null;
  const letters = lettersOf(topics);
  const named = new Map(letters.map((x) => [x.letter, x.topic.name]));
  return (
    <div data-testid="topic-letters">
      <p className="mb-1 text-sm">
        <span className="text-quiet">{insight.topics.said}: </span>
        {[...named].sort().map(([letter, name]) => (
          <span key={letter} className="mr-3">
            <strong>{letter}</strong> {name}
          </span>
        ))}
      </p>
      <div className="relative ml-13 h-6">
        {letters.map(({ letter, topic }) => (
          <button
            key={`${topic.topic_id}${String(topic.at_ms)}`}
            type="button"
            title={`${topic.name}, ${duration(topic.at_ms)}`}
            aria-label={`${topic.name}, ${duration(topic.at_ms)}`}
            style={{ left: `${String((100 * topic.at_ms) / Math.max(1, ms))}%` }}
            className={`absolute min-h-6 min-w-6 -translate-x-1/2 text-sm font-bold hover:underline ${topic.ours ? "text-ours" : "text-theirs"}`}
            onClick={() => {
              go(topic.at_ms / 1000);
            }}
          >
            {letter}
          </button>
        ))}
      </div>
    </div>
  );
}
