import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, type ReactNode, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Call, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { useRoundOf } from "../rounds/round";
import { Button } from "../ui/button";
import { Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";

type Step = Schemas["ScriptStep"];
const s = t.after.scripts;

/** ScriptOf is the script of a call that stands on a record and is on my desk; it lies on the sheet. */
export function ScriptOf({ record }: { record: string }) {
  const desk = useQuery(queries.desk).data;
  const call = desk?.calls.find((c) => c.slip.state === "open" && c.links.some((l) => l.record.id === record));
  return call ? <Script key={call.id} call={call} /> : null;
}

/** Whether this browser shows scripts, or only that there is one. */
const openKey = "trundo.script";

/** Script is what may be said in a call, as far as the answers lead. */
function Script({ call }: { call: Call }) {
  const client = useQueryClient();
  const tell = useTell();
  const ofRound = useRoundOf(call)?.settings.script_id;
  const [chosen, setWanted] = useState<string>();
  const wanted = chosen ?? ofRound;
  const [open, setOpen] = useState(() => localStorage.getItem(openKey) !== "no");
  const script = useQuery(queries.callScript(call.id, wanted, call.slip.call_type_id ?? "")).data;
  const answer = useMutation({
    mutationFn: (given: { key: string; answer: string }) =>
      ask(
        api.PUT("/api/calls/{id}/script", {
          params: { path: { id: call.id } },
          body: { script_id: script?.script_id ?? "", ...given },
        }),
      ),
    onSuccess: () => void client.invalidateQueries({ queryKey: keys.callScript(call.id) }),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (!script?.script_id && !script?.others.length) return null;
  return (
    <section
      aria-label={s.title}
      data-testid="script"
      className="mt-3 rounded-md border border-rule-strong bg-paper px-4 py-2"
    >
      <div className="flex items-center justify-between gap-3">
        <h2 className="text-sm text-quiet">
          <button
            type="button"
            aria-expanded={open}
            className="min-h-6 hover:text-ink"
            onClick={() => {
              localStorage.setItem(openKey, open ? "no" : "yes");
              setOpen(!open);
            }}
          >
            {s.title}: {script.name} {open ? "▾" : "▸"}
          </button>
        </h2>
        {open && script.others.length > 1 && (
          <Select
            label={s.which}
            hidden
            className="w-52"
            value={script.script_id ?? ""}
            onChange={(e) => {
              setWanted(e.target.value);
            }}
          >
            {script.others.map((x) => (
              <option key={x.id} value={x.id}>
                {x.name}
              </option>
            ))}
          </Select>
        )}
      </div>
      <ol>
        {(open ? script.steps : []).map((step, i) => (
          <li key={step.title} className={i > 0 ? "mt-2 border-t border-rule pt-2" : ""}>
            <h3 className="font-semibold">{step.title}</h3>
            <Markdown text={step.text} />
            {step.question && (
              <Question
                key={step.answer}
                step={step}
                onAnswer={(text) => {
                  answer.mutate({ key: step.key, answer: text });
                }}
              />
            )}
          </li>
        ))}
      </ol>
    </section>
  );
}

function Question({ step, onAnswer }: { step: Step; onAnswer: (text: string) => void }) {
  const [text, setText] = useState(step.answer);
  return (
    <fieldset className="mt-1 flex flex-wrap items-end gap-2">
      <legend className="mb-1 font-semibold text-ours">{step.question}</legend>
      {step.choices.map((c) => (
        <Button
          key={c}
          aria-pressed={c === step.answer}
          look={c === step.answer ? "ours" : "plain"}
          onClick={() => {
            onAnswer(c === step.answer ? "" : c);
          }}
        >
          {c}
        </Button>
      ))}
      {step.free && (
        <Field
          label={step.question}
          hidden
          className="w-72"
          inputMode={step.free === "number" ? "decimal" : "text"}
          maxLength={1000}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
          onBlur={() => {
            if (text !== step.answer) onAnswer(text);
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
          }}
        />
      )}
    </fieldset>
  );
}

/** Markdown draws the little that scripts need: paragraphs, lists, strong and stressed words. Whatever else stands there is only text. */
function Markdown({ text }: { text: string }) {
  const blocks = text.split(/\n\s*\n/).filter(Boolean);
  return blocks.map((block, i) => {
    const lines = block.split("\n");
    if (lines.every((l) => /^\s*[-*] /.test(l)))
      return (
        <ul key={i} className="list-disc pl-5">
          {lines.map((l, j) => (
            <li key={j}>{words(l.replace(/^\s*[-*] /, ""))}</li>
          ))}
        </ul>
      );
    return (
      <p key={i} className="my-1 max-w-prose">
        {words(lines.join(" "))}
      </p>
    );
  });
}

function words(text: string): ReactNode {
  return text.split(/(\*\*[^*]+\*\*|\*[^*]+\*)/).map((part, i) => {
    if (part.startsWith("**")) return <strong key={i}>{part.slice(2, -2)}</strong>;
    if (part.startsWith("*") && part.length > 2) return <em key={i}>{part.slice(1, -1)}</em>;
    return <Fragment key={i}>{part}</Fragment>;
  });
}
