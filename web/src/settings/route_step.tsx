import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { queries } from "../api/queries";
import { useBook } from "../book/values";
import { SoundInput } from "../calls/sound_input";
import { ColleaguePick } from "../team/colleague_pick";
import { routes as r } from "../texts/routes";
import { Button } from "../ui/button";
import { Chip } from "../ui/chip";
import { Area, Check, Field, Select } from "../ui/field";
import { Hear } from "./hear";
import { Pick } from "./pick";
import { TestForm } from "./route_condition";
import type { Doc, Step } from "./route_tree";

type Set = (change: Partial<Step>) => void;

/** StepForm is the form of one step: only what counts for what it does. */
export function StepForm({ doc, step, onChange }: { doc: Doc; step: Step; onChange: (next: Step) => void }) {
  const set: Set = (change) => {
    onChange({ ...step, ...change });
  };
  return (
    <div className="flex flex-col gap-2.5">
      {["say", "menu", "digits"].includes(step.do) && <Texts doc={doc} step={step} set={set} />}
      {step.do === "menu" && <Keys step={step} set={set} text={r.whenPressed} />}
      {step.do === "queue" && <Keys step={step} set={set} text={r.whenPressed} />}
      {step.do === "digits" && (
        <>
          <Field
            label={r.digitsName}
            maxLength={60}
            value={step.name ?? ""}
            onChange={(e) => {
              set({ name: e.target.value });
            }}
          />
          <p className="text-sm text-quiet">{r.codeHint}</p>
          <Amount label={r.most} value={step.most} usual={20} most={20} onChange={(most) => set({ most })} />
        </>
      )}
      {(step.do === "menu" || step.do === "digits") && (
        <div className="grid grid-cols-2 gap-3">
          <Amount label={r.tries} value={step.tries} usual={2} most={5} onChange={(tries) => set({ tries })} />
          <Amount
            label={r.waitsFor}
            value={step.seconds}
            usual={step.do === "menu" ? 6 : 5}
            most={60}
            onChange={(seconds) => set({ seconds })}
          />
        </div>
      )}
      {["owner", "ring", "outside"].includes(step.do) && (
        <Amount
          label={r.ringsFor}
          value={step.seconds}
          usual={step.do === "outside" ? 25 : 20}
          most={600}
          onChange={(seconds) => set({ seconds })}
        />
      )}
      <Targets doc={doc} step={step} set={set} />
    </div>
  );
}

function Amount({
  label,
  value,
  usual,
  most,
  onChange,
}: {
  label: string;
  value: number | undefined;
  usual: number;
  most: number;
  onChange: (n: number) => void;
}) {
  return (
    <Field
      label={label}
      type="number"
      min={1}
      max={most}
      value={value ? value : usual}
      onChange={(e) => {
        onChange(Math.max(1, Number(e.target.value) || 1));
      }}
    />
  );
}

function Texts({ doc, step, set }: { doc: Doc; step: Step; set: Set }) {
  return (
    <>
      {doc.languages.map((language) => (
        <div key={language}>
          <Area
            label={r.text(r.languageNames[language] ?? language)}
            rows={3}
            maxLength={1000}
            value={step.texts?.[language] ?? ""}
            onChange={(e) => {
              set({ texts: { ...step.texts, [language]: e.target.value } });
            }}
          />
          {(step.texts?.[language] ?? "").trim() && <Hear text={step.texts?.[language] ?? ""} language={language} />}
        </div>
      ))}
      <div>
        <p className="mb-1 text-sm text-quiet">{r.sound}</p>
        <SoundInput
          text={step.texts?.[doc.languages[0] ?? "en"] ?? ""}
          sound={step.sound ? step.sound : null}
          onChange={(id) => {
            set({ sound: id ?? "" });
          }}
        />
      </div>
    </>
  );
}

/** Keys are those of a menu, or those that do something while waiting. */
function Keys({ step, set, text }: { step: Step; set: Set; text: string }) {
  const options = step.options ?? [];
  const free = ["1", "2", "3", "4", "5", "6", "7", "8", "9", "0", "*", "#"].filter(
    (k) => !options.some((o) => o.key === k),
  );
  const [key, setKey] = useState("");
  const next = free.includes(key) ? key : (free[0] ?? "");
  return (
    <div>
      <div className="flex flex-wrap items-end gap-1.5">
        {options.map((o) => (
          <Chip
            key={o.key}
            removeLabel={r.removeKey(o.key)}
            remove={() => {
              set({ options: options.filter((x) => x !== o) });
            }}
          >
            {r.key(o.key)}
          </Chip>
        ))}
        {free.length > 0 && (
          <>
            <Select
              label={r.nextKey}
              hidden
              value={next}
              onChange={(e) => {
                setKey(e.target.value);
              }}
            >
              {free.map((k) => (
                <option key={k}>{k}</option>
              ))}
            </Select>
            <Button
              onClick={() => {
                set({ options: [...options, { key: next, steps: [] }] });
              }}
            >
              {r.addKey}
            </Button>
          </>
        )}
      </div>
      <p className="mt-1 text-sm text-quiet">{text}</p>
    </div>
  );
}

/** Targets are what a step leads to. */
function Targets({ doc, step, set }: { doc: Doc; step: Step; set: Set }) {
  const queues = useQuery(queries.queueSettings).data ?? [];
  const routes = useQuery(queries.routes).data ?? [];
  const people = useBook().people;
  switch (step.do) {
    case "when":
      return <TestForm doc={doc} test={step.test ?? { is: "open" }} onChange={(test) => set({ test })} />;
    case "language":
      return (
        <Pick
          label={r.language}
          value={step.language ?? ""}
          options={doc.languages.map((l) => [l, r.languageNames[l] ?? l])}
          onPick={(language) => set({ language })}
        />
      );
    case "ring":
      return <People ids={step.people ?? []} all={step.all ?? false} set={set} />;
    case "queue":
      return (
        <>
          <Pick
            label={r.queue}
            value={step.queue ?? ""}
            none={r.noQueue}
            options={queues.filter((q) => q.active).map((q) => [q.id ?? "", q.name])}
            onPick={(queue) => set({ queue })}
          />
          <Pick
            label={r.priority}
            value={String(step.priority ?? 0)}
            options={[3, 2, 1, 0, -1, -2, -3].map((n) => [String(n), n > 0 ? `+${String(n)}` : String(n)])}
            onPick={(priority) => set({ priority: Number(priority) })}
          />
          <p className="text-sm text-quiet">{r.priorityHint}</p>
        </>
      );
    case "callback":
      return (
        <>
          <Pick
            label={r.queue}
            value={step.queue ?? ""}
            none={r.keep}
            options={queues.filter((q) => q.active).map((q) => [q.id ?? "", q.name])}
            onPick={(queue) => set({ queue })}
          />
          <Check label={r.times} checked={step.times ?? false} onChange={(times) => set({ times })} />
          {step.times && <p className="text-sm text-quiet">{r.timesHint}</p>}
        </>
      );
    case "survey":
      return <p className="text-sm text-quiet">{r.surveyHint}</p>;
    case "voicemail":
      return (
        <ColleaguePick
          label={r.voicemailOf}
          value={step.user ?? ""}
          name={people.find((p) => p.id === step.user)?.name}
          none={r.everybody}
          onChange={(user) => set({ user })}
        />
      );
    case "tell":
      return (
        <Pick
          label={r.what}
          value={step.what ?? ""}
          options={Object.entries(r.whats)}
          onPick={(what) => set({ what })}
        />
      );
    case "route":
      return (
        <Pick
          label={r.route}
          value={step.route ?? ""}
          none={r.noRoute}
          options={routes.map((x) => [x.id, x.name])}
          onPick={(route) => set({ route })}
        />
      );
    case "outside":
      return (
        <Field
          label={r.number}
          maxLength={60}
          value={step.number ?? ""}
          onChange={(e) => {
            set({ number: e.target.value });
          }}
        />
      );
    default:
      return null;
  }
}

function People({ ids, all, set }: { ids: string[]; all: boolean; set: Set }) {
  const people = useBook().people;
  return (
    <div>
      <p className="mb-1 text-sm text-quiet">{r.people}</p>
      <div className="flex flex-wrap items-center gap-1.5">
        {ids.map((id) => {
          const name = people.find((p) => p.id === id)?.name ?? id;
          return (
            <Chip
              key={id}
              removeLabel={r.removePerson(name)}
              remove={() => {
                set({ people: ids.filter((x) => x !== id) });
              }}
            >
              {name}
            </Chip>
          );
        })}
        <ColleaguePick
          label={r.addPerson}
          hidden
          value=""
          only={(c) => !ids.includes(c.id)}
          onChange={(id) => set({ people: [...ids, id] })}
        />
      </div>
      <Check label={r.atOnce} checked={all} onChange={(on) => set({ all: on })} />
    </div>
  );
}
