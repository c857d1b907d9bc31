import { useNavigate } from "@tanstack/react-router";

import type { Schemas } from "../api/client";
import { survey as y } from "../texts/survey";
import { Button } from "../ui/button";

const tones: Record<string, string> = {
  "would recommend": "text-theirs",
  undecided: "text-waiting",
  "would not": "text-ending",
};

/** SurveyAnswers are what the customer said about a call, on its page; a remark is played from the call's recording. */
export function SurveyAnswers({ call, answers }: { call: string; answers: Schemas["SurveyAnswer"][] }) {
  const navigate = useNavigate();
  if (answers.length === 0) return null;
  return (
    <section aria-label={y.title} data-testid="survey">
      <h2 className="mt-2 border-b border-rule-strong pb-1 text-quiet">{y.title}</h2>
      <dl>
        {answers.map((x) => (
          <div key={x.question} className="flex items-baseline justify-between gap-4 border-b border-rule py-1">
            <dt className="text-quiet">{x.question}</dt>
            <dd className={`${x.words ? "max-w-prose" : "shrink-0"} font-semibold ${tones[x.tone ?? ""] ?? ""}`}>
              {x.words ? <span className="font-normal whitespace-pre-line">“{x.words}”</span> : x.text}
              {x.kind === "remark" && x.from_seconds !== undefined && (
                <Button
                  className="ml-2 !min-h-6 !py-0"
                  onClick={() =>
                    void navigate({ to: "/calls/$id", params: { id: call }, search: { at: x.from_seconds } })
                  }
                >
                  {y.play}
                </Button>
              )}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
