import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { insight } from "../texts/insight";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { Dialog } from "../ui/dialog";
import { Area } from "../ui/field";
import { lettersOf } from "./letters";

const w = t.voice.words;
const x = insight.words;

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
  if (words.phrases.length === 0) {
    return <p className="mt-2 text-sm text-quiet">{words.problem ? x.notYet(words.problem) : w.none}</p>;
  }
  const now = words.phrases.findLastIndex((y) => y.from_ms <= 1000 * at);
  return (
    <details className="mt-3" data-testid="words">
      <summary className="cursor-pointer text-quiet">{w.title}</summary>
      {words.summary && <Summary summary={words.summary} go={go} />}
      <ol className="mt-1 max-h-64 overflow-y-auto">
        {words.phrases.map((said, i) => (
          <li key={i} className="group flex items-start">
            <button
              type="button"
              aria-current={i === now}
              className={`flex w-full gap-3 rounded-sm px-1 py-0.5 text-left hover:bg-rule/60 ${i === now ? "bg-rule/60" : ""}`}
              onClick={() => {
                go(said.from_ms / 1000);
              }}
            >
              <span className="w-10 shrink-0 text-right font-mono text-sm text-quiet">{duration(said.from_ms)}</span>
              <span className={`w-10 shrink-0 text-sm ${said.ours ? "text-ours" : "text-theirs"}`}>
                {said.ours ? w.we : w.they}
              </span>
              <span>
                {said.text}
                {said.corrected_by && <span className="text-sm text-quiet"> {x.corrected(said.corrected_by)}</span>}
                {said.confidence !== undefined && said.confidence < unsure && (
                  <span className="text-sm text-waiting"> {x.unsure}</span>
                )}
                {lettersOf(topics)
                  .filter(
                    (y) => y.topic.ours === said.ours && y.topic.at_ms < said.to_ms && y.topic.to_ms > said.from_ms,
                  )
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
            {words.may_correct && <Correct recording={recording} n={i} phrase={said} />}
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

/** unsure is below which confidence a phrase says that it may be otherwise. */
const unsure = 0.6;

/** Summary is what stands out in a long conversation, in the words in which it was said. */
function Summary({ summary, go }: { summary: Schemas["TranscriptSummary"]; go: (seconds: number) => void }) {
  const lines = (title: string, all: Schemas["Phrase"][]) =>
    all.length > 0 && (
      <div>
        <h3 className="text-sm text-quiet">{title}</h3>
        <ul>
          {all.map((p, i) => (
            <li key={i}>
              <button
                type="button"
                className="flex gap-3 rounded-sm px-1 text-left hover:bg-rule/60"
                onClick={() => {
                  go(p.from_ms / 1000);
                }}
              >
                <span className="w-10 shrink-0 text-right font-mono text-sm text-quiet">{duration(p.from_ms)}</span>
                <span>{p.text}</span>
              </button>
            </li>
          ))}
        </ul>
      </div>
    );
  return (
    <div className="my-2 grid grid-cols-2 gap-6" data-testid="summary">
      {lines(x.questions, summary.questions)}
      {lines(x.promises, summary.promises)}
    </div>
  );
}

/** Correct corrects a phrase by hand; it is kept, whoever writes the recording down later. */
function Correct({ recording, n, phrase }: { recording: string; n: number; phrase: Schemas["Phrase"] }) {
  const client = useQueryClient();
  const [text, setText] = useState<string>();
  const save = useMutation({
    mutationFn: (next: string) =>
      ask(
        api.PATCH("/api/recordings/{id}/words", {
          params: { path: { id: recording } },
          body: { n, before: phrase.text, text: next },
        }),
      ),
    onSuccess: (words) => {
      client.setQueryData(keys.words(recording), words);
      setText(undefined);
    },
  });
  return (
    <>
      <button
        type="button"
        aria-label={x.correctThis(duration(phrase.from_ms))}
        className="min-h-6 shrink-0 px-1 text-sm text-quiet opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:underline"
        onClick={() => {
          setText(phrase.text);
        }}
      >
        {x.correct}
      </button>
      {text !== undefined && (
        <Dialog
          open
          onClose={() => {
            setText(undefined);
          }}
          title={x.correctThis(duration(phrase.from_ms))}
          actions={
            <Button look="ours" type="submit" form="correct-phrase" disabled={!text.trim() || save.isPending}>
              {x.save}
            </Button>
          }
        >
          <form
            id="correct-phrase"
            onSubmit={(e) => {
              e.preventDefault();
              if (text.trim() && !save.isPending) save.mutate(text);
            }}
          >
            <Area
              label={x.said}
              autoFocus
              rows={3}
              maxLength={4000}
              value={text}
              problem={save.error?.message}
              onChange={(e) => {
                setText(e.target.value);
              }}
            />
          </form>
        </Dialog>
      )}
    </>
  );
}
