import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { duration } from "../ui/clock";
import { Area } from "../ui/field";
import { Empty, Failed, Loading } from "../ui/states";
import { clockTime, dayName } from "../ui/times";

const s = insight.scores;

type Score = Schemas["Score"];

/** MyScores are how one's own calls were scored, to be answered and accepted. */
export function MyScores() {
  const scores = useQuery(queries.myScores);
  if (scores.isPending) return <Loading />;
  if (!scores.data) return <Failed error={scores.error} retry={() => void scores.refetch()} />;
  if (scores.data.length === 0) return <Empty>{s.none}</Empty>;
  return (
    <ul className="max-w-3xl" data-testid="my-scores">
      {scores.data.map((x) => (
        <li key={x.id} className="border-b border-rule py-3">
          <p>
            <Link to="/calls/$id" params={{ id: x.call_id }} className="font-semibold hover:underline">
              {dayName(x.at)}, {clockTime(x.at)}
            </Link>{" "}
            <span className="text-quiet">
              {x.name} {s.by(x.by)}
            </span>{" "}
            {!x.accepted_at && <Badge tone="waiting">{s.waiting}</Badge>}
          </p>
          <ScoreView score={x} />
        </li>
      ))}
    </ul>
  );
}

/** ScoreView is one score, question by question, with what its rep says to it. */
export function ScoreView({ score: x, go }: { score: Score; go?: (seconds: number) => void }) {
  return (
    <div data-testid="score">
      <p className="my-1">
        <strong className={x.failed ? "text-ending" : ""}>{s.percent(x.percent)}</strong>
        {x.failed && <span className="text-ending"> · {s.failed}</span>}
        {x.accepted_at && <span className="text-quiet"> · {s.accepted}</span>}
      </p>
      <ul className="text-sm">
        {x.questions.map((q) => {
          const mark = x.marks.find((m) => m.question === q.id);
          const at = mark?.at_ms;
          return (
            <li key={q.id} className="flex gap-3 border-t border-rule py-1">
              <span className="w-28 shrink-0 text-quiet">
                {!mark || mark.points < 0 ? s.notAsked : s.points(mark.points, q.points)}
              </span>
              <span>
                {q.text}
                {mark?.note && <span className="block text-quiet">{mark.note}</span>}
                {at !== undefined &&
                  (go ? (
                    <button
                      type="button"
                      className="underline"
                      onClick={() => {
                        go(at / 1000);
                      }}
                    >
                      {s.moment(duration(at))}
                    </button>
                  ) : (
                    <Link to="/calls/$id" params={{ id: x.call_id }} search={{ at: at / 1000 }} className="underline">
                      {s.moment(duration(at))}
                    </Link>
                  ))}
              </span>
            </li>
          );
        })}
      </ul>
      {x.note && <p className="mt-1 whitespace-pre-wrap">{x.note}</p>}
      {x.reply && <p className="mt-1 text-quiet">{s.answered(x.reply)}</p>}
      {x.of_me && !x.accepted_at && <Reply key={x.version} score={x} />}
    </div>
  );
}

function Reply({ score }: { score: Score }) {
  const client = useQueryClient();
  const [reply, setReply] = useState(score.reply);
  const answer = useMutation({
    mutationFn: (accept: boolean) =>
      ask(api.POST("/api/scores/{id}/answer", { params: { path: { id: score.id } }, body: { reply, accept } })),
    onSuccess: () => {
      refresh(client, keys.myScores(), keys.callScores(score.call_id));
    },
  });
  return (
    <div className="mt-2 flex flex-col gap-2">
      <Area
        label={s.reply}
        rows={2}
        maxLength={2000}
        value={reply}
        problem={answer.error?.message}
        onChange={(e) => {
          setReply(e.target.value);
        }}
      />
      <span className="flex gap-2">
        <Button
          look="ours"
          disabled={answer.isPending}
          onClick={() => {
            answer.mutate(true);
          }}
        >
          {s.accept}
        </Button>
        <Button
          disabled={answer.isPending || !reply.trim()}
          onClick={() => {
            answer.mutate(false);
          }}
        >
          {s.answer}
        </Button>
      </span>
    </div>
  );
}
