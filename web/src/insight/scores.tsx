import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { Area, Select } from "../ui/field";
import { useTell } from "../ui/toast";
import { ScoreView } from "./my_scores";

const s = insight.scores;

type CallScores = Schemas["CallScores"];
type Mark = Schemas["ScoreMark"];

/** Scores are how a call was scored, and by what it can be while one listens. */
export function Scores({ call, at, go }: { call: string; at: number; go: (seconds: number) => void }) {
  const scores = useQuery(queries.callScores(call)).data;
  const [open, setOpen] = useState(false);
  if (!scores || (scores.scores.length === 0 && scores.cards.length === 0)) return null;
  return (
    <section aria-label={s.heading} className="mt-4" data-testid="scores">
      <h2 className="flex items-end justify-between border-b border-rule-strong pb-1 text-quiet">
        {s.heading}
        {scores.cards.length > 0 && !open && (
          <Button
            onClick={() => {
              setOpen(true);
            }}
          >
            {scores.scores.some((x) => x.mine) ? s.again : s.score}
          </Button>
        )}
      </h2>
      {open && (
        <Form
          call={call}
          scores={scores}
          at={at}
          onDone={() => {
            setOpen(false);
          }}
        />
      )}
      {scores.scores.map((x) => (
        <div key={x.id} className="border-b border-rule py-2">
          <p className="text-sm text-quiet">
            {x.name}, {x.rep}, {s.by(x.by)}
          </p>
          <ScoreView score={x} go={go} />
        </div>
      ))}
      {scores.differences.length > 0 && (
        <div className="mt-2" data-testid="differences">
          <h3 className="text-sm font-semibold">{s.differences}</h3>
          <ul className="text-sm">
            {scores.differences.map((d) => (
              <li key={d.question} className="flex gap-3 border-t border-rule py-1">
                <span className="w-28 shrink-0 text-waiting">{s.differ(d.low, d.high)}</span>
                {d.text}
              </li>
            ))}
          </ul>
        </div>
      )}
    </section>
  );
}

/** Form is a scorecard to be filled in while listening; what was given before stands in it. */
function Form({ call, scores, at, onDone }: { call: string; scores: CallScores; at: number; onDone: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const [card, setCard] = useState(scores.cards[0]?.id ?? "");
  const [rep, setRep] = useState(scores.reps[0]?.id ?? "");
  const chosen = scores.cards.find((c) => c.id === card);
  const before = scores.scores.find((x) => x.mine && x.rep_id === rep && x.scorecard_id === card);
  const [given, setGiven] = useState<Record<string, Mark>>(
    Object.fromEntries((before?.marks ?? []).map((m) => [m.question, m])),
  );
  const [note, setNote] = useState(before?.note ?? "");
  const marks = (chosen?.questions ?? []).map((q) => given[q.id]);
  const complete = marks.every((m) => m !== undefined);
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/calls/{id}/scores", {
          params: { path: { id: call } },
          body: {
            scorecard_id: card,
            rep_id: rep,
            marks: marks.filter((m) => m !== undefined),
            note,
            version: before?.version ?? 0,
          },
        }),
      ),
    onSuccess: () => {
      refresh(client, keys.callScores(call));
      tell(s.saved);
      onDone();
    },
  });
  if (!chosen) return null;
  return (
    <form
      className="flex flex-col gap-2 py-2"
      data-testid="score-form"
      onSubmit={(e) => {
        e.preventDefault();
        if (complete && !save.isPending) save.mutate();
      }}
    >
      <div className="flex gap-4">
        {scores.cards.length > 1 && (
          <Select
            label={s.card}
            value={card}
            onChange={(e) => {
              setCard(e.target.value);
            }}
          >
            {scores.cards.map((c) => (
              <option key={c.id} value={c.id}>
                {c.name}
              </option>
            ))}
          </Select>
        )}
        {scores.reps.length > 1 && (
          <Select
            label={s.rep}
            value={rep}
            onChange={(e) => {
              setRep(e.target.value);
            }}
          >
            {scores.reps.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
          </Select>
        )}
      </div>
      <h3 className="font-semibold">{chosen.name}</h3>
      {chosen.questions.map((q) => (
        <Question
          key={q.id}
          question={q}
          mark={given[q.id]}
          at={at}
          onMark={(m) => {
            setGiven({ ...given, [q.id]: m });
          }}
        />
      ))}
      <Area
        label={s.note}
        rows={3}
        maxLength={2000}
        value={note}
        problem={save.error?.message}
        onChange={(e) => {
          setNote(e.target.value);
        }}
      />
      <span>
        <Button look="ours" type="submit" disabled={!complete || save.isPending}>
          {s.save}
        </Button>
      </span>
    </form>
  );
}

const none = -1;

/** steps are the points that a question offers: all of up to five, else none, half and all. */
function steps(points: number): number[] {
  if (points <= 5) return Array.from({ length: points + 1 }, (_, i) => i);
  return [0, Math.round(points / 4), Math.round(points / 2), Math.round((3 * points) / 4), points];
}

function Question({
  question: q,
  mark,
  at,
  onMark,
}: {
  question: Schemas["ScoreQuestion"];
  mark: Mark | undefined;
  at: number;
  onMark: (m: Mark) => void;
}) {
  const put = (change: Partial<Mark>) => {
    onMark({ question: q.id, points: mark?.points ?? none, note: "", ...mark, ...change });
  };
  const chosen = "aria-pressed:border-ours aria-pressed:bg-ours-soft aria-pressed:font-semibold";
  return (
    <fieldset className="border-t border-rule pt-1.5">
      <legend className="sr-only">{q.text}</legend>
      <p>
        {q.text} {q.must && <span className="text-sm text-quiet">({s.must})</span>}
        {q.help && <span className="block text-sm text-quiet">{q.help}</span>}
      </p>
      <div className="mt-1 flex flex-wrap items-center gap-1.5">
        {steps(q.points).map((n) => (
          <Button
            key={n}
            aria-pressed={mark?.points === n}
            aria-label={s.points(n, q.points)}
            className={chosen}
            onClick={() => {
              put({ points: n });
            }}
          >
            {n}
          </Button>
        ))}
        <Button
          aria-pressed={mark?.points === none}
          className={chosen}
          onClick={() => {
            put({ points: none });
          }}
        >
          {s.notAsked}
        </Button>
        <input
          aria-label={`${s.remark}: ${q.text}`}
          placeholder={s.remark}
          maxLength={400}
          className="min-h-7 min-w-40 flex-1 rounded-sm border border-edge bg-sheet px-2"
          value={mark?.note ?? ""}
          onChange={(e) => {
            put({ note: e.target.value });
          }}
        />
        <Button
          look="quiet"
          onClick={() => {
            put({ at_ms: Math.round(at * 1000) });
          }}
        >
          {mark?.at_ms === undefined ? s.mark : s.moment(duration(mark.at_ms))}
        </Button>
      </div>
    </fieldset>
  );
}
