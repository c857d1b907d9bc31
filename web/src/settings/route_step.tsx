import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { queries } from "../api/queries";
import { useBook, useFields } from "../book/values";
import { SoundInput } from "../calls/sound_input";
import { routes as r } from "../texts/routes";
import { Button } from "../ui/button";
import { Chip } from "../ui/chip";
import { Area, Check, Field, Select } from "../ui/field";
import { spansOf, textOf, WeekHours } from "../ui/week_hours";
import type { Doc, Step } from "./route_tree";

type Test = NonNullable<Step["test"]>;
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
        <Pick
          label={r.voicemailOf}
          value={step.user ?? ""}
          none={r.everybody}
          options={people.map((p) => [p.id, p.name])}
          onPick={(user) => set({ user })}
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

function Pick({
  label,
  value,
  none,
  options,
  onPick,
}: {
  label: string;
  value: string;
  none?: string;
  options: [string, string][];
  onPick: (value: string) => void;
}) {
  return (
    <Select
      label={label}
      value={value}
      onChange={(e) => {
        onPick(e.target.value);
      }}
    >
      {none !== undefined && <option value="">{none}</option>}
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </Select>
  );
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
        <Select
          label={r.addPerson}
          hidden
          value=""
          onChange={(e) => {
            if (e.target.value) set({ people: [...ids, e.target.value] });
          }}
        >
          <option value="">{r.addPerson}</option>
          {people
            .filter((p) => !ids.includes(p.id))
            .map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
        </Select>
      </div>
      <Check label={r.atOnce} checked={all} onChange={(on) => set({ all: on })} />
    </div>
  );
}

function TestForm({ doc, test, onChange }: { doc: Doc; test: Test; onChange: (t: Test) => void }) {
  const asked = digitNames(doc.steps);
  const names = comparable;
  const condition = (test.filter ?? {}) as { field?: string; op?: string; value?: string };
  const kind = test.kind ?? "contact";
  const fields = useFields(kind as "contact").filter((f) => names.includes(f.type));
  return (
    <>
      <Pick
        label={r.test}
        value={test.is}
        options={Object.entries(r.tests)}
        onPick={(is) =>
          onChange({
            is,
            not: test.not ?? false,
            ...(is === "speaks" ? { value: doc.languages[1] ?? "en" } : {}),
            ...(is === "kind" ? { value: "contact" } : {}),
            ...(is === "pressed" ? { name: asked[0] ?? "", value: "" } : {}),
            ...(is === "fits" ? { kind: "contact", filter: { field: "stage", op: "filled" } } : {}),
          })
        }
      />
      <Check label={r.not} checked={test.not ?? false} onChange={(not) => onChange({ ...test, not })} />
      {test.is === "open" && <OwnHours test={test} onChange={onChange} />}
      {test.is === "kind" && (
        <Pick
          label={r.value}
          value={test.value ?? ""}
          options={Object.entries(r.kinds)}
          onPick={(value) => onChange({ ...test, value })}
        />
      )}
      {test.is === "speaks" && (
        <Pick
          label={r.language}
          value={test.value ?? ""}
          options={Object.entries(r.languageNames)}
          onPick={(value) => onChange({ ...test, value })}
        />
      )}
      {test.is === "pressed" && (
        <>
          <Pick
            label={r.which}
            value={test.name ?? ""}
            options={asked.map((n) => [n, n])}
            onPick={(name) => onChange({ ...test, name })}
          />
          <Field
            label={r.value}
            inputMode="numeric"
            maxLength={20}
            value={test.value ?? ""}
            onChange={(e) => {
              onChange({ ...test, value: e.target.value });
            }}
          />
        </>
      )}
      {test.is === "fits" && (
        <div className="grid grid-cols-2 gap-3">
          <Pick
            label={r.tests["kind"] ?? ""}
            value={kind}
            options={Object.entries(r.kinds)}
            onPick={(k) => onChange({ ...test, kind: k })}
          />
          <Pick
            label={r.field}
            value={condition.field ?? ""}
            options={fields.map((f) => [f.key, f.label])}
            onPick={(field) => onChange({ ...test, kind, filter: { ...condition, field } })}
          />
          <Pick
            label={r.op}
            value={condition.op ?? "is"}
            options={Object.entries(r.ops)}
            onPick={(op) => onChange({ ...test, kind, filter: { ...condition, op } })}
          />
          {!["empty", "filled"].includes(condition.op ?? "") && (
            <Field
              label={r.value}
              maxLength={200}
              value={condition.value ?? ""}
              onChange={(e) => {
                onChange({ ...test, kind, filter: { ...condition, value: e.target.value } });
              }}
            />
          )}
        </div>
      )}
    </>
  );
}

/** OwnHours are hours that a test looks at in place of the line's. */
function OwnHours({ test, onChange }: { test: Test; onChange: (t: Test) => void }) {
  const hours = test.hours;
  const without: Test = { ...test };
  delete without.hours;
  return (
    <>
      <Check
        label={r.ownHours}
        checked={hours !== undefined}
        onChange={(own) => {
          onChange(own ? { ...test, hours: { spans: spansOf("Mon-Fri 09:00-17:00"), off: [] } } : without);
        }}
      />
      {hours && (
        <WeekHours
          label={r.ownHoursAre}
          value={textOf(hours.spans)}
          onChange={(text) => {
            onChange({ ...test, hours: { ...hours, spans: spansOf(text) } });
          }}
        />
      )}
    </>
  );
}

/** comparable are the types of field that can be compared with a word. */
const comparable = ["text", "choice", "tags", "mail", "zone"];

/** digitNames are under what digits are kept that a route asks for. */
function digitNames(steps: Step[]): string[] {
  return steps.flatMap((s) => [
    ...(s.do === "digits" && s.name ? [s.name] : []),
    ...(s.options ?? []).flatMap((o) => digitNames(o.steps)),
    ...digitNames(s.steps ?? []),
    ...digitNames(s.else ?? []),
  ]);
}
