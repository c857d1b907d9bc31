import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { useDial } from "../calls/dial";
import { setUp, staff, many } from "../texts/staff";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Tick } from "../ui/icons";
import { Failed, Loading } from "../ui/states";
import { WeekHours } from "../ui/week_hours";
import { useTell } from "../ui/toast";
import { FirmSettings } from "./firm";
import { MemberForm } from "./staff_form";
import { LinkDialog } from "./staff_link";
import { ManyDialog } from "./staff_many";

type Step = Schemas["FirstStep"];
const s = setUp.steps;
const way =
  "inline-flex min-h-7 items-center rounded-sm border border-rule-strong bg-paper px-2.5 hover:border-edge font-normal";

/** FirstSteps are what a new firm sets up, one after the other; whatever is passed over can be done later. */
export function FirstSteps() {
  const client = useQueryClient();
  const tell = useTell();
  const steps = useQuery({ ...queries.firstSteps, refetchInterval: 5_000 });
  const [opened, setOpened] = useState<Step>();
  const choose = useMutation({
    mutationFn: (body: Schemas["FirstStepsChoice"]) => ask(api.PUT("/api/first-steps", { body })),
    onSuccess: (now) => {
      client.setQueryData(keys.firstSteps(), now);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  if (steps.isPending) return <Loading />;
  if (!steps.data) return <Failed error={steps.error} retry={() => void steps.refetch()} />;
  const all = steps.data.steps;
  const done = all.filter((x) => x.done).length;
  const next = all.find((x) => !x.done && !x.skipped)?.step;
  const at = opened ?? next;
  const skipped = all.filter((x) => x.skipped).map((x) => x.step);
  const skip = (step: Step, on: boolean) => {
    setOpened(undefined);
    choose.mutate({
      skipped: on ? [...skipped, step] : skipped.filter((x) => x !== step),
      closed: steps.data.closed,
    });
  };
  return (
    <div className="max-w-3xl">
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="name text-xl">{s.title}</h1>
        <p className="text-quiet" data-testid="progress">
          {s.progress(done, all.length)}
        </p>
      </div>
      <p className="mt-1 mb-4 max-w-prose text-quiet">{next ? s.intro : s.all}</p>
      <ol>
        {all.map((x, i) => (
          <li key={x.step} className="border-t border-rule py-2.5" data-testid={`step-${x.step}`}>
            <div className="flex items-baseline gap-3">
              <span className="w-5 shrink-0 text-right text-quiet">{x.done ? <Tick /> : `${String(i + 1)}.`}</span>
              <div className="min-w-0 flex-1">
                <h2>
                  <button
                    type="button"
                    aria-expanded={at === x.step}
                    className="name min-h-6 text-left hover:text-ours"
                    onClick={() => {
                      setOpened(x.step);
                    }}
                  >
                    {s.names[x.step]}
                  </button>{" "}
                  <span className="text-sm font-normal text-quiet">{x.done ? s.done : x.skipped ? s.skipped : ""}</span>
                </h2>
                {at === x.step && (
                  <div
                    onFocusCapture={() => {
                      setOpened(x.step); // what is being done stays, also when it is done
                    }}
                  >
                    <p className="mb-2.5 max-w-prose text-quiet">{s.texts[x.step]}</p>
                    <Doing step={x.step} onDone={() => void steps.refetch()} />
                    {x.done && next && (
                      <Button
                        look="ours"
                        className="mt-3"
                        onClick={() => {
                          setOpened(undefined);
                        }}
                      >
                        {s.next(s.names[next])}
                      </Button>
                    )}
                  </div>
                )}
              </div>
              {!x.done && (
                <Button
                  look="quiet"
                  disabled={choose.isPending}
                  onClick={() => {
                    skip(x.step, !x.skipped);
                  }}
                >
                  {x.skipped ? s.unskip : s.skip}
                </Button>
              )}
            </div>
          </li>
        ))}
      </ol>
      {!steps.data.closed && (
        <Button
          look="quiet"
          className="mt-3"
          onClick={() => {
            choose.mutate({ skipped, closed: true });
          }}
        >
          {s.close}
        </Button>
      )}
    </div>
  );
}

/** Doing is where a step is done. */
function Doing({ step, onDone }: { step: Step; onDone: () => void }): ReactNode {
  switch (step) {
    case "firm":
      return <FirmSettings onSaved={onDone} />;
    case "lines":
      return <FirstLine onDone={onDone} />;
    case "hours":
      return <FirstHours onDone={onDone} />;
    case "colleagues":
      return <FirstColleagues onDone={onDone} />;
    case "book":
      return (
        <p className="flex gap-2">
          <Link to="/imports" className={way}>
            {s.import}
          </Link>
          <Link to="/people" search={{}} className={way}>
            {s.record}
          </Link>
        </p>
      );
    case "recording":
      return (
        <Link to="/settings" search={{ tab: "recording" }} className={way}>
          {s.recording}
        </Link>
      );
    case "call":
      return <TestCall />;
  }
}

function FirstLine({ onDone }: { onDone: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const lines = useQuery(queries.lines).data ?? [];
  const [number, setNumber] = useState("");
  const [label, setLabel] = useState("");
  const add = useMutation({
    mutationFn: () => ask(api.POST("/api/settings/lines", { body: { number, label } })),
    onSuccess: (line) => {
      tell(s.lineAdded(line.label));
      setNumber("");
      setLabel("");
      refresh(client, keys.lines(), keys.me());
      onDone();
    },
  });
  return (
    <>
      <ul>
        {lines.map((l) => (
          <li key={l.id} className="py-0.5">
            <span className="font-semibold">{l.display}</span> {l.label}
          </li>
        ))}
      </ul>
      <form
        className="mt-1 flex flex-wrap items-start gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!add.isPending) add.mutate();
        }}
      >
        <Field
          label={s.number}
          type="tel"
          className="w-52"
          required
          value={number}
          problem={add.error?.message}
          onChange={(e) => {
            setNumber(e.target.value);
          }}
        />
        <Field
          label={s.label}
          className="w-52"
          required
          maxLength={60}
          placeholder={s.labelExample}
          value={label}
          onChange={(e) => {
            setLabel(e.target.value);
          }}
        />
        <Button type="submit" look="ours" className="mt-6" disabled={add.isPending}>
          {s.addLine}
        </Button>
      </form>
    </>
  );
}

/** FirstHours are when somebody is there, for all numbers at once; each can have its own later. */
function FirstHours({ onDone }: { onDone: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const lines = useQuery(queries.lines).data;
  const [hours, setHours] = useState("Mon-Fri 09:00-17:00");
  const save = useMutation({
    mutationFn: async () => {
      for (const line of lines ?? [])
        await ask(api.PUT("/api/settings/lines/{id}", { params: { path: { id: line.id } }, body: { ...line, hours } }));
    },
    onSuccess: () => {
      tell(s.hoursSaved);
      onDone();
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
    onSettled: () => {
      refresh(client, keys.lines());
    },
  });
  if (lines?.length === 0) return <p className="text-waiting">{s.hoursNeedLines}</p>;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <WeekHours label={s.hours} value={hours} onChange={setHours} />
      <p className="mt-3 flex gap-2">
        <Button type="submit" look="ours" disabled={save.isPending || !lines}>
          {s.saveHours}
        </Button>
        <Link to="/settings" search={{ tab: "outcomes" }} className={way}>
          {s.holidays}
        </Link>
      </p>
    </form>
  );
}

function FirstColleagues({ onDone }: { onDone: () => void }) {
  const data = useQuery(queries.staff).data;
  const [open, setOpen] = useState<"one" | "many">();
  const [added, setAdded] = useState<Schemas["Member"]>();
  const close = () => {
    setOpen(undefined);
    setAdded(undefined);
    onDone();
  };
  return (
    <>
      <p className="flex gap-2">
        <Button
          look="ours"
          onClick={() => {
            setOpen("one");
          }}
        >
          {staff.add}
        </Button>
        <Button
          onClick={() => {
            setOpen("many");
          }}
        >
          {many.open}
        </Button>
      </p>
      {open === "one" && !added && (
        <MemberForm member={undefined} teams={data?.teams ?? []} onClose={close} onAdded={setAdded} />
      )}
      {added && <LinkDialog member={added} onClose={close} />}
      {open === "many" && <ManyDialog teams={data?.teams ?? []} onClose={close} />}
    </>
  );
}

function TestCall() {
  const { dial } = useDial();
  const [number, setNumber] = useState("");
  return (
    <form
      className="flex items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (number.trim()) dial({ typed: number }, number);
      }}
    >
      <Field
        label={s.number}
        type="tel"
        className="w-52"
        value={number}
        onChange={(e) => {
          setNumber(e.target.value);
        }}
      />
      <Button type="submit" look="ours" disabled={!number.trim()}>
        {s.call}
      </Button>
    </form>
  );
}
