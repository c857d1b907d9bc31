import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { useBook } from "../book/values";
import { ColleaguePick } from "../team/colleague_pick";
import { queues as q } from "../texts/queues";
import { Button, IconButton } from "../ui/button";
import { Badge, Chip } from "../ui/chip";
import { Check, Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { Empty, Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { WeekHours } from "../ui/week_hours";
import { useDraft } from "./draft";
import { SpokenTexts } from "./spoken_texts";

type Queue = Schemas["QueueSettings"];
const s = q.settings;

const fresh: Queue = {
  name: "",
  active: true,
  members: [],
  needs: [],
  rings: 1,
  ring_seconds: 15,
  misses: 3,
  prefer_seconds: 20,
  relax_seconds: 60,
  target_seconds: 20,
  max_length: 0,
  max_wait_seconds: 0,
  hours: "",
  zone: "America/New_York",
  say_position: true,
  say_wait: true,
  comfort: [],
  every_seconds: 45,
  retries: 2,
  retry_minutes: 15,
  writing: { lines: [], mails: false, words: [], senders: [], at_once: 1, minutes: 0 },
};

/** QueueSettings are the queues as an admin sets them up. */
export function QueueSettings() {
  const queues = useQuery(queries.queueSettings);
  const [chosen, setChosen] = useState<string>();
  if (queues.isPending) return <Loading />;
  if (!queues.data) return <Failed error={queues.error} retry={() => void queues.refetch()} />;
  const queue = chosen === "new" ? undefined : (queues.data.find((x) => x.id === chosen) ?? queues.data[0]);
  return (
    <div>
      <p className="mb-3 text-quiet">{s.intro}</p>
      <div className="flex gap-6 max-[63.9rem]:flex-col">
        <div className="w-52 shrink-0">
          {queues.data.length === 0 && <Empty>{s.none}</Empty>}
          <ul aria-label={q.tab}>
            {queues.data.map((x) => (
              <li key={x.id} className="border-b border-rule">
                <button
                  type="button"
                  aria-current={x.id === queue?.id}
                  className={`flex min-h-9 w-full items-baseline justify-between gap-2 px-1.5 py-1 text-left hover:bg-rule/40 ${x.id === queue?.id ? "bg-ours-soft" : ""}`}
                  onClick={() => {
                    setChosen(x.id);
                  }}
                >
                  <span className="name truncate">{x.name}</span>
                  {!x.active && <Badge tone="quiet">{s.off}</Badge>}
                </button>
              </li>
            ))}
          </ul>
          <Button
            className="mt-3"
            onClick={() => {
              setChosen("new");
            }}
          >
            {s.add}
          </Button>
        </div>
        {(queue ?? chosen === "new") && (
          <QueueForm
            key={queue ? `${queue.id ?? ""} ${String(queue.version)}` : "new"}
            queue={queue ?? fresh}
            onSaved={setChosen}
          />
        )}
      </div>
    </div>
  );
}

function QueueForm({ queue, onSaved }: { queue: Queue; onSaved: (id: string | undefined) => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const people = useBook().people;
  const { draft, setDraft, saved: isSaved, notice } = useDraft(`queue ${queue.id ?? "new"}`, queue);
  const set = (change: Partial<Queue>) => {
    setDraft({ ...draft, ...change });
  };
  const save = useMutation({
    mutationFn: () =>
      queue.id
        ? ask(api.PUT("/api/settings/queues/{id}", { params: { path: { id: queue.id } }, body: draft }))
        : ask(api.POST("/api/settings/queues", { body: draft })),
    onSuccess: (saved) => {
      isSaved(queue.id ? saved : fresh);
      void client.invalidateQueries({ queryKey: keys.queueSettings() });
      void client.invalidateQueries({ queryKey: keys.queues() });
      onSaved(saved.id);
      tell(s.saved);
    },
    onError: () => void client.invalidateQueries({ queryKey: keys.queueSettings() }),
  });
  const wrong = save.error instanceof Failure ? save.error.problem?.field : undefined;
  const problem = (field: string) => (wrong === field ? save.error?.message : undefined);
  const amount = (
    key:
      | "rings"
      | "ring_seconds"
      | "misses"
      | "prefer_seconds"
      | "relax_seconds"
      | "target_seconds"
      | "max_length"
      | "every_seconds"
      | "retries"
      | "retry_minutes",
    label: string,
    min: number,
    max: number,
  ) => (
    <Field
      label={label}
      type="number"
      min={min}
      max={max}
      value={draft[key]}
      problem={problem(key)}
      onChange={(e) => {
        set({ [key]: Number(e.target.value) });
      }}
    />
  );
  const heading = "col-span-2 mt-2 border-t border-rule pt-2 font-semibold";
  return (
    <form
      aria-label={draft.name || s.add}
      className="grid min-w-0 flex-1 grid-cols-2 content-start items-end gap-x-4 gap-y-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      {notice && <div className="col-span-2">{notice}</div>}
      <Field
        label={s.name}
        maxLength={60}
        value={draft.name}
        problem={problem("name")}
        onChange={(e) => {
          set({ name: e.target.value });
        }}
      />
      <Check
        label={s.active}
        checked={draft.active}
        onChange={(active) => {
          set({ active });
        }}
      />
      <div className="col-span-2">
        <p className="mb-1 text-sm text-quiet">{s.members}</p>
        <div className="flex flex-wrap items-center gap-1.5">
          {draft.members.map((id) => {
            const name = people.find((p) => p.id === id)?.name ?? id;
            return (
              <Chip
                key={id}
                removeLabel={s.removeMember(name)}
                remove={() => {
                  set({ members: draft.members.filter((x) => x !== id) });
                }}
              >
                {name}
              </Chip>
            );
          })}
          <ColleaguePick
            label={s.addMember}
            hidden
            value=""
            only={(c) => !draft.members.includes(c.id)}
            onChange={(id) => {
              set({ members: [...draft.members, id] });
            }}
          />
        </div>
      </div>
      <Needs queue={draft} set={set} problem={problem("needs")} />
      <h3 className={heading}>{s.who}</h3>
      {amount("rings", s.rings, 1, 20)}
      {amount("ring_seconds", s.ringSeconds, 5, 120)}
      {amount("prefer_seconds", s.prefer, 0, 600)}
      {amount("relax_seconds", s.relax, 0, 600)}
      {amount("misses", s.misses, 0, 20)}
      {amount("target_seconds", s.target, 1, 3600)}
      <h3 className={heading}>{s.limits}</h3>
      {amount("max_length", s.maxLength, 0, 10_000)}
      <Field
        label={s.maxWait}
        type="number"
        min={0}
        max={240}
        value={Math.round(draft.max_wait_seconds / 60)}
        onChange={(e) => {
          set({ max_wait_seconds: Number(e.target.value) * 60 });
        }}
      />
      <div className="col-span-2">
        <WeekHours
          label={s.hours}
          value={draft.hours}
          problem={problem("hours")}
          onChange={(hours) => {
            set({ hours });
          }}
        />
      </div>
      <Field
        label={s.zone}
        value={draft.zone}
        problem={problem("zone")}
        onChange={(e) => {
          set({ zone: e.target.value });
        }}
      />
      <h3 className={heading}>{s.hears}</h3>
      <div>
        <Check
          label={s.position}
          checked={draft.say_position}
          onChange={(say_position) => {
            set({ say_position });
          }}
        />
        <Check
          label={s.wait}
          checked={draft.say_wait}
          onChange={(say_wait) => {
            set({ say_wait });
          }}
        />
      </div>
      {amount("every_seconds", s.every, 10, 600)}
      <Comfort queue={draft} set={set} />
      <h3 className={heading}>{s.back}</h3>
      {amount("retries", s.retries, 0, 10)}
      {amount("retry_minutes", s.retryMinutes, 1, 1440)}
      <Check
        label={s.voicemails}
        checked={draft.voicemails ?? false}
        onChange={(voicemails) => {
          set({ voicemails });
        }}
      />
      <h3 className={heading}>{s.writing}</h3>
      <Written writing={draft.writing} set={(writing) => set({ writing: { ...draft.writing, ...writing } })} />
      {save.error && !["name", "hours", "zone", "needs"].includes(wrong ?? "") && (
        <p role="alert" className="col-span-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button look="ours" type="submit" className="justify-self-start" disabled={save.isPending || !draft.name.trim()}>
        {s.save}
      </Button>
    </form>
  );
}

function Needs({
  queue,
  set,
  problem,
}: {
  queue: Queue;
  set: (change: Partial<Queue>) => void;
  problem: string | undefined;
}) {
  const [skill, setSkill] = useState("");
  const [level, setLevel] = useState(1);
  return (
    <div className="col-span-2">
      <p className="mb-1 text-sm text-quiet">
        {s.needs} · {s.needHint}
      </p>
      <div className="flex flex-wrap items-center gap-1.5">
        {queue.needs.map((n) => (
          <Chip
            key={n.skill}
            removeLabel={s.removeSkill(n.skill)}
            remove={() => {
              set({ needs: queue.needs.filter((x) => x !== n) });
            }}
          >
            {`${n.skill} ${String(n.level)}`}
          </Chip>
        ))}
        <Field
          label={s.skill}
          hidden
          placeholder={s.skill}
          className="w-40"
          maxLength={100}
          value={skill}
          onChange={(e) => {
            setSkill(e.target.value);
          }}
        />
        <Select
          label={s.level}
          hidden
          value={level}
          onChange={(e) => {
            setLevel(Number(e.target.value));
          }}
        >
          {[1, 2, 3, 4, 5].map((n) => (
            <option key={n}>{n}</option>
          ))}
        </Select>
        <Button
          disabled={!skill.trim() || queue.needs.some((n) => n.skill === skill.trim())}
          onClick={() => {
            set({ needs: [...queue.needs, { skill: skill.trim(), level }] });
            setSkill("");
          }}
        >
          {s.addSkill}
        </Button>
      </div>
      {problem && (
        <p role="alert" className="text-ending">
          {problem}
        </p>
      )}
    </div>
  );
}

function Comfort({ queue, set }: { queue: Queue; set: (change: Partial<Queue>) => void }) {
  return (
    <div className="col-span-2 flex flex-col gap-2">
      {queue.comfort.map((c, i) => (
        <div key={i} className="flex items-start gap-1.5">
          <SpokenTexts
            label={s.comfort(i + 1)}
            texts={c}
            onChange={(texts) => {
              set({ comfort: queue.comfort.map((x, k) => (k === i ? texts : x)) });
            }}
          />
          <IconButton
            label={s.removeComfort(i + 1)}
            className="mt-6"
            onClick={() => {
              set({ comfort: queue.comfort.filter((_, k) => k !== i) });
            }}
          >
            <Cross />
          </IconButton>
        </div>
      ))}
      {queue.comfort.length < 10 && (
        <Button
          className="self-start"
          onClick={() => {
            set({ comfort: [...queue.comfort, { en: "" }] });
          }}
        >
          {s.addComfort}
        </Button>
      )}
    </div>
  );
}

type Writing = Schemas["QueueWriting"];

/** Written says which messages wait in the queue. */
function Written({ writing: w, set }: { writing: Writing; set: (change: Partial<Writing>) => void }) {
  const lines = useQuery(queries.lines).data ?? [];
  const list = (text: string) => text.split(",").map((x) => x.trimStart());
  return (
    <>
      <p className="col-span-2 text-sm text-quiet">{s.writingHelp}</p>
      <div className="col-span-2">
        <p className="mb-1 text-sm text-quiet">{s.textLines}</p>
        <div className="flex flex-wrap items-center gap-1.5">
          {w.lines.map((id) => {
            const name = lines.find((l) => l.id === id)?.label ?? id;
            return (
              <Chip
                key={id}
                removeLabel={s.removeLine(name)}
                remove={() => {
                  set({ lines: w.lines.filter((x) => x !== id) });
                }}
              >
                {name}
              </Chip>
            );
          })}
          <Select
            label={s.addLine}
            hidden
            value=""
            onChange={(e) => {
              if (e.target.value) set({ lines: [...w.lines, e.target.value] });
            }}
          >
            <option value="">{s.addLine}</option>
            {lines
              .filter((l) => !w.lines.includes(l.id))
              .map((l) => (
                <option key={l.id} value={l.id}>
                  {l.label}
                </option>
              ))}
          </Select>
          <Check
            label={s.mails}
            checked={w.mails}
            onChange={(mails) => {
              set({ mails });
            }}
          />
        </div>
      </div>
      <Field
        label={s.words}
        maxLength={500}
        value={w.words.join(", ")}
        onChange={(e) => {
          set({ words: list(e.target.value) });
        }}
      />
      <Field
        label={s.senders}
        maxLength={500}
        value={w.senders.join(", ")}
        onChange={(e) => {
          set({ senders: list(e.target.value) });
        }}
      />
      <Field
        label={s.atOnce}
        type="number"
        min={1}
        max={50}
        value={w.at_once}
        onChange={(e) => {
          set({ at_once: Number(e.target.value) });
        }}
      />
      <Field
        label={s.minutes}
        type="number"
        min={0}
        max={10_080}
        value={w.minutes}
        onChange={(e) => {
          set({ minutes: Number(e.target.value) });
        }}
      />
    </>
  );
}
