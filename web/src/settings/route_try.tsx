import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { trying as y } from "../texts/routes";
import { Button, IconButton } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";
import { toInput } from "../ui/times";
import { Hear } from "./hear";

type Page = Schemas["RoutePage"];
type Try = Schemas["RouteTry"];
type Event = Schemas["RouteEvent"];

/** TryRoute plays a caller against the draft, step by step, and keeps what was played as a test. */
export function TryRoute({
  page,
  onKept,
  onStep,
}: {
  page: Page;
  onKept: (page: Page) => void;
  onStep: (id: string) => void;
}) {
  const lines = useQuery(queries.lines).data ?? [];
  const [line, setLine] = useState("");
  const [who, setWho] = useState<{ id?: string; number?: string; name: string }>({ name: "" });
  const [at, setAt] = useState(() => toInput(new Date().toISOString()));
  const [events, setEvents] = useState<Event[]>();
  const lineID = line || (lines.find((l) => page.lines.includes(l.label)) ?? lines[0])?.id;
  if (!events || !lineID)
    return (
      <form
        className="flex flex-col gap-2.5"
        onSubmit={(e) => {
          e.preventDefault();
          setEvents([]);
        }}
      >
        <p className="text-quiet">{y.intro}</p>
        <Select
          label={y.line}
          value={lineID ?? ""}
          onChange={(e) => {
            setLine(e.target.value);
          }}
        >
          {lines.map((l) => (
            <option key={l.id} value={l.id}>
              {l.label}
            </option>
          ))}
        </Select>
        <Who who={who} onPick={setWho} />
        <Field
          label={y.at}
          type="datetime-local"
          value={at}
          onChange={(e) => {
            setAt(e.target.value);
          }}
        />
        <Button look="ours" type="submit" className="self-start">
          {y.start}
        </Button>
        <Trials page={page} onKept={onKept} />
      </form>
    );
  const body: Try = {
    line_id: lineID,
    at: at.slice(0, 16),
    events,
    ...(who.id ? { record_id: who.id } : {}),
    ...(who.number ? { number: who.number } : {}),
  };
  return (
    <Played
      page={page}
      body={body}
      onEvents={setEvents}
      onEnd={() => {
        setEvents(undefined);
      }}
      onKept={onKept}
      onStep={onStep}
    />
  );
}

/** Who chooses who calls: somebody of the book, a number, or nobody that is known. */
function Who({
  who,
  onPick,
}: {
  who: { id?: string; number?: string; name: string };
  onPick: (w: { id?: string; number?: string; name: string }) => void;
}) {
  const [q, setQ] = useState("");
  const found = useQuery({ ...queries.find(q), enabled: q.trim().length > 1, placeholderData: keepPreviousData }).data;
  const people = (found?.records ?? []).filter((x) => ["contact", "lead", "company"].includes(x.kind)).slice(0, 5);
  return (
    <div>
      <Field
        label={y.who}
        placeholder={y.search}
        value={q || who.name}
        onChange={(e) => {
          setQ(e.target.value);
          const number = e.target.value.trim();
          onPick(/^[+\d(][\d\s()-]{5,}$/.test(number) ? { number, name: number } : { name: "" });
        }}
      />
      {q.trim().length > 1 && !who.id && (
        <ul className="border-x border-b border-rule">
          {people.map((x) => (
            <li key={x.id}>
              <button
                type="button"
                className="block min-h-7 w-full px-2 text-left hover:bg-ours-soft focus-visible:bg-ours-soft"
                onClick={() => {
                  onPick({ id: x.id, name: x.name });
                  setQ("");
                }}
              >
                {x.name}
                {x.company && <span className="text-sm text-quiet"> · {x.company.name}</span>}
              </button>
            </li>
          ))}
        </ul>
      )}
      {!who.name && q.trim() === "" && <p className="mt-0.5 text-sm text-quiet">{y.stranger}</p>}
    </div>
  );
}

function Played({
  page,
  body,
  onEvents,
  onEnd,
  onKept,
  onStep,
}: {
  page: Page;
  body: Try;
  onEvents: (events: Event[]) => void;
  onEnd: () => void;
  onKept: (page: Page) => void;
  onStep: (id: string) => void;
}) {
  const [pressed, setPressed] = useState("");
  const tried = useQuery({
    queryKey: keys.routeTry(page.id, page.version, body),
    queryFn: () => ask(api.POST("/api/routes/{id}/tries", { params: { path: { id: page.id } }, body })),
    placeholderData: keepPreviousData,
  });
  const does = (e: Event) => {
    onEvents([...body.events, e]);
    setPressed("");
  };
  const choices = tried.data?.choices ?? [];
  const keysNow = tried.data?.keys ?? [];
  const digits = keysNow.length > 10;
  return (
    <div className="flex flex-col gap-2.5">
      {tried.error && (
        <p role="alert" className="text-ending">
          {tried.error.message}
        </p>
      )}
      <ol aria-live="polite" data-testid="tried">
        {(tried.data?.lines ?? []).map((l, i) => (
          <li key={i} className="flex gap-2 border-b border-rule py-1">
            <span className="w-9 shrink-0 text-sm text-quiet">{y.seconds(l.seconds)}</span>
            <span className="min-w-0 flex-1">
              {l.step ? (
                <button
                  type="button"
                  className="text-left hover:underline"
                  onClick={() => {
                    onStep(l.step);
                  }}
                >
                  {l.text}
                </button>
              ) : (
                <span className="text-ours">{l.text}</span>
              )}
              {l.says && <span className="block">“{l.says}”</span>}
              {(l.says || l.sound) && <Hear text={l.says} language={l.language ?? "en"} sound={l.sound} />}
            </span>
          </li>
        ))}
      </ol>
      {tried.data?.over ? (
        <p className="font-semibold">{y.over}</p>
      ) : (
        <div className="flex flex-wrap gap-1.5">
          {choices.includes("presses") &&
            !digits &&
            keysNow.map((k) => (
              <Button
                key={k}
                onClick={() => {
                  does({ does: "presses", keys: k });
                }}
              >
                {`${y.press} ${k}`}
              </Button>
            ))}
          {choices.includes("presses") && digits && (
            <form
              className="flex items-end gap-1.5"
              onSubmit={(e) => {
                e.preventDefault();
                if (pressed) does({ does: "presses", keys: pressed });
              }}
            >
              <Field
                label={y.pressed}
                hidden
                placeholder={y.pressed}
                className="w-24"
                maxLength={20}
                value={pressed}
                onChange={(e) => {
                  setPressed(e.target.value.replace(/[^0-9*#]/g, ""));
                }}
              />
              <Button type="submit" disabled={!pressed}>
                {y.press}
              </Button>
            </form>
          )}
          {(["listens", "waits", "somebody", "nobody", "hangs_up"] as const)
            .filter((c) => choices.includes(c))
            .map((c) => (
              <Button
                key={c}
                onClick={() => {
                  does({ does: c });
                }}
              >
                {y[c]}
              </Button>
            ))}
        </div>
      )}
      <div className="flex gap-1.5">
        <Button
          look="quiet"
          disabled={body.events.length === 0}
          onClick={() => {
            onEvents(body.events.slice(0, -1));
          }}
        >
          {y.step}
        </Button>
        <Button look="quiet" onClick={onEnd}>
          {y.restart}
        </Button>
      </div>
      <Keep page={page} body={body} onKept={onKept} />
    </div>
  );
}

function Keep({ page, body, onKept }: { page: Page; body: Try; onKept: (page: Page) => void }) {
  const [name, setName] = useState("");
  const keep = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/routes/{id}/trials", { params: { path: { id: page.id } }, body: { name, try: body } })),
    onSuccess: (kept) => {
      onKept(kept);
      setName("");
    },
  });
  return (
    <form
      className="flex flex-wrap items-end gap-1.5 border-t border-rule pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (name.trim() && !keep.isPending) keep.mutate();
      }}
    >
      <Field
        label={y.keepName}
        maxLength={100}
        className="min-w-40 flex-1"
        value={name}
        problem={keep.error?.message}
        onChange={(e) => {
          setName(e.target.value);
        }}
      />
      <Button type="submit" disabled={!name.trim() || keep.isPending}>
        {y.keep}
      </Button>
      {keep.isSuccess && <p className="w-full text-sm text-quiet">{y.kept}</p>}
    </form>
  );
}

function Trials({ page, onKept }: { page: Page; onKept: (page: Page) => void }) {
  const drop = useMutation({
    mutationFn: (trial: string) =>
      ask(api.DELETE("/api/routes/{id}/trials/{trial}", { params: { path: { id: page.id, trial } } })),
    onSuccess: onKept,
  });
  return (
    <section className="mt-3">
      <h2 className="text-sm text-quiet">{y.tests}</h2>
      {page.trials.length === 0 && <p className="text-sm text-quiet">{y.noTests}</p>}
      <ul>
        {page.trials.map((x) => (
          <li key={x.id} className="flex items-baseline gap-2 border-b border-rule py-1">
            <span className="min-w-0 flex-1">{x.name}</span>
            <span className={`text-sm ${x.passes ? "text-theirs" : "font-semibold text-ending"}`}>
              {x.passes ? y.passes : y.fails}
            </span>
            <IconButton
              label={y.drop(x.name)}
              onClick={() => {
                drop.mutate(x.id);
              }}
            >
              <Cross />
            </IconButton>
          </li>
        ))}
      </ul>
    </section>
  );
}
