import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useDeferredValue, useEffect, useId, useState } from "react";

import { api, ask, type Call, newKey, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { putCall } from "../filing/change_slip";
import { HandOverWritten } from "../queues/hand_over_written";
import { ColleagueLine } from "../team/colleague_pick";
import { parties } from "../texts/parties";
import { written } from "../texts/written";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { inSight } from "../ui/list";
import { useTell } from "../ui/toast";
import { focusNotes, may, useTurn } from "./parties";
import { whoOf } from "./words";

const t = parties.picker;

type Option =
  | { id: string; colleague: Schemas["Askable"] }
  | { id: string; number: Schemas["PhoneNumber"]; name: string }
  | { id: string; typed: string; display: string; problem: string }
  | { id: string; line: Schemas["AskableLine"] }
  | { id: string; queue: Schemas["QueueNow"] }
  | { id: string; route: Schemas["AskableRoute"] }
  | { id: string; park: true }
  | { id: string; help: true };

const can = (o: Option) =>
  "colleague" in o
    ? o.colleague.rings
    : "problem" in o
      ? !o.problem
      : "line" in o
        ? o.line.open
        : "queue" in o
          ? o.queue.open && o.queue.there > 0
          : true;

/** given tells whether something can only be given the call, not asked. */
const given = (o: Option) => "line" in o || "queue" in o || "route" in o;

/** AskPicker is whom to ask: the best guess first with its reason, then everybody; a name or number that is typed, too. */
export function AskPicker({ call, onClose }: { call: Call; onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const id = useId();
  const [text, setText] = useState("");
  const [active, setActive] = useState(0);
  const q = useDeferredValue(text.trim());
  const whom = useQuery(queries.whom(call.id, q));
  const found = useQuery({ ...queries.find(q), enabled: q !== "" });
  const queues = useQuery(queries.queues).data ?? [];
  const [writing, setWriting] = useState<string>(); // to which queue it is handed over in writing
  const [hurried, setHurried] = useState<Schemas["Ask"]["as"]>(); // Enter came before what was found for the text
  const ready =
    q === text.trim() &&
    whom.isSuccess &&
    !whom.isPlaceholderData &&
    (q === "" || found.isError || (found.isSuccess && !found.isPlaceholderData));
  const { turn } = useTurn(call);
  const asOption = (c: Schemas["Askable"]): Option => ({ id: c.colleague.id, colleague: c });
  const options: Option[] = (whom.data?.people ?? []).filter((c) => c.rings).map(asOption);
  if (!whom.data) options.length = 0;
  else if (q) {
    const dial = found.data?.dial;
    if (dial) options.push({ id: "dial", typed: dial.typed, display: dial.display, problem: dial.problem });
    for (const r of found.data?.records ?? [])
      for (const n of r.numbers) if (n.dialable && !n.refused) options.push({ id: n.id, number: n, name: r.name });
  } else {
    if (may(call, "park")) options.push({ id: "park", park: true });
    options.push({ id: "help", help: true });
  }
  const named = (name: string) => name.toLowerCase().includes(q.toLowerCase());
  options.push(...queues.filter((x) => whom.data && named(x.name)).map((queue): Option => ({ id: queue.id, queue })));
  options.push(...(whom.data?.lines ?? []).map((line): Option => ({ id: line.id, line })));
  options.push(...(whom.data?.routes ?? []).map((route): Option => ({ id: route.id, route })));
  options.push(...(whom.data?.people ?? []).filter((c) => !c.rings).map(asOption));
  const at = Math.min(active, Math.max(0, options.length - 1));
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const asks = useMutation({
    mutationFn: (body: Schemas["Ask"]) =>
      ask(api.POST("/api/calls/{id}/asks", { params: { path: { id: call.id } }, body })),
    onSuccess: (changed: Call) => {
      putCall(client, changed);
      onClose();
    },
    onError: failed,
  });
  const note = useMutation({
    mutationFn: (c: Schemas["Colleague"]) =>
      ask(
        api.POST("/api/team/{id}/notes", {
          params: { path: { id: c.id }, header: { "Idempotency-Key": newKey() } },
          body: { text: t.noteText(whoOf(call)) },
        }),
      ).then(() => c),
    onSuccess: (c) => {
      tell(t.noteLeft(c.name));
      onClose();
    },
    onError: failed,
  });
  const watch = useMutation({
    mutationFn: (c: Schemas["Colleague"]) =>
      ask(api.PUT("/api/team/{id}/watch", { params: { path: { id: c.id } } })).then(() => c),
    onSuccess: (c) => {
      tell(t.willTell(c.name));
      onClose();
    },
    onError: failed,
  });
  const help = useMutation({
    mutationFn: () => ask(api.PUT("/api/calls/{id}/help", { params: { path: { id: call.id } }, body: { on: true } })),
    onSuccess: () => {
      tell(t.helpAsked);
      onClose();
    },
    onError: failed,
  });
  const choose = (o: Option | undefined, as: Schemas["Ask"]["as"]) => {
    if (!o || asks.isPending) return;
    if ("park" in o) {
      turn.mutate("park");
      onClose();
    } else if ("help" in o) help.mutate();
    else if (!can(o)) return;
    else if ("queue" in o) asks.mutate({ as: "handed", queue_id: o.queue.id });
    else if ("route" in o) asks.mutate({ as: "handed", route_id: o.route.id });
    else if ("line" in o) asks.mutate({ as: "handed", line_id: o.line.id });
    else if ("colleague" in o) asks.mutate({ as, colleague_id: o.colleague.colleague.id });
    else if ("number" in o) asks.mutate({ as, number_id: o.number.id });
    else asks.mutate({ as, typed: o.typed });
  };
  const hurriedTo = hurried && ready ? options[at] : undefined;
  useEffect(() => {
    if (!hurriedTo || !hurried) return;
    const timer = setTimeout(() => {
      setHurried(undefined);
      choose(hurriedTo, hurried);
    });
    return () => {
      clearTimeout(timer);
    };
  });
  const onKeyDown = (e: KeyboardEvent) => {
    if (e.key === "ArrowDown") setActive(Math.min(options.length - 1, at + 1));
    else if (e.key === "ArrowUp") setActive(Math.max(0, at - 1));
    else if (e.key === "Enter") {
      const as = e.shiftKey ? "handed" : "consult";
      if (ready) choose(options[at], as);
      else setHurried(as);
    } else return;
    e.preventDefault();
  };
  if (writing) return <HandOverWritten call={call} queue={writing} onClose={onClose} afterwards={focusNotes} />;
  return (
    <Dialog open onClose={onClose} title={t.title} afterwards={focusNotes}>
      <label htmlFor={id} className="sr-only">
        {t.find}
      </label>
      <input
        id={id}
        role="combobox"
        autoFocus
        aria-expanded
        aria-controls={`${id}-list`}
        aria-activedescendant={options.length > 0 ? `${id}-${String(at)}` : undefined}
        autoComplete="off"
        spellCheck={false}
        maxLength={200}
        placeholder={t.find}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setActive(0);
          setHurried(undefined);
        }}
        onKeyDown={onKeyDown}
        className="mb-2 h-8 w-full rounded-sm border border-edge bg-paper px-2.5"
      />
      <div id={`${id}-list`} role="listbox" aria-label={t.title} className="max-h-[46vh] overflow-auto">
        {options.map((o, i) => (
          <div
            key={o.id}
            id={`${id}-${String(i)}`}
            role="option"
            aria-selected={i === at}
            ref={i === at ? inSight : undefined}
            onClick={() => {
              setActive(i); // not by passing over it: the pointer is on its way to what is to be done
            }}
            onDoubleClick={() => {
              choose(o, "consult");
            }}
            className={`flex min-h-10 cursor-pointer items-center gap-2 rounded-sm px-2 py-1 ${i === at ? "bg-ours-soft" : ""}`}
          >
            <Text option={o} />
          </div>
        ))}
      </div>
      {whom.data && options.length === 0 && <p className="px-2 py-1 text-quiet">{t.nobody}</p>}
      <div
        data-testid="whom-acts"
        className="mt-2 flex min-h-10 flex-wrap items-center justify-end gap-1.5 border-t border-rule pt-2"
      >
        <p className="mr-auto text-sm text-quiet">{t.hint}</p>
        {options[at] && (
          <Acts
            option={options[at]}
            choose={choose}
            watch={watch.mutate}
            note={note.mutate}
            voicemail={(of) => {
              asks.mutate({ as: "handed", voicemail_of: of });
            }}
            inWriting={setWriting}
          />
        )}
      </div>
    </Dialog>
  );
}

/** Acts are what can be done with the one who is chosen: asked, given the call, or something else where they cannot be rung. */
function Acts({
  option: o,
  choose,
  watch,
  note,
  voicemail,
  inWriting,
}: {
  option: Option;
  choose: (o: Option, as: Schemas["Ask"]["as"]) => void;
  watch: (c: Schemas["Colleague"]) => void;
  note: (c: Schemas["Colleague"]) => void;
  voicemail: (of: string) => void;
  inWriting: (queue: string) => void;
}) {
  if ("colleague" in o && !can(o)) {
    const c = o.colleague.colleague;
    return (
      <>
        {c.reached && (
          <Button
            onClick={() => {
              watch(c);
            }}
          >
            {t.whenFree}
          </Button>
        )}
        <Button
          onClick={() => {
            note(c);
          }}
        >
          {t.note}
        </Button>
        <Button
          onClick={() => {
            voicemail(c.id);
          }}
        >
          {t.voicemail}
        </Button>
      </>
    );
  }
  const inQueue = "queue" in o && (
    <Button
      onClick={() => {
        inWriting(o.queue.id);
      }}
    >
      {written.short}
    </Button>
  );
  if (!can(o)) return inQueue || null;
  const single = "park" in o || "help" in o;
  return (
    <>
      {inQueue}
      {!given(o) && (
        <Button
          look="ours"
          hint="Enter"
          onClick={() => {
            choose(o, "consult");
          }}
        >
          {"park" in o ? t.park : "help" in o ? t.help : t.ask}
        </Button>
      )}
      {!single && (
        <Button
          hint={given(o) ? "Enter" : "⇧ Enter"}
          onClick={() => {
            choose(o, "handed");
          }}
        >
          {t.give}
        </Button>
      )}
    </>
  );
}

function Text({ option: o }: { option: Option }) {
  if ("park" in o)
    return (
      <span>
        <span className="font-semibold">{t.park}</span> <span className="text-sm text-quiet">{t.parkHelp}</span>
      </span>
    );
  if ("help" in o)
    return (
      <span>
        <span className="font-semibold">{t.help}</span> <span className="text-sm text-quiet">{t.helpHelp}</span>
      </span>
    );
  if ("queue" in o)
    return (
      <span className={`min-w-0 truncate ${can(o) ? "" : "text-quiet"}`}>
        <span className="font-semibold">{t.queueOf(o.queue.name)}</span>{" "}
        <span className="text-sm text-quiet">
          {o.queue.open ? t.queueFree(o.queue.free, o.queue.waiting) : t.queueClosed}
        </span>
      </span>
    );
  if ("route" in o)
    return (
      <span className="min-w-0 truncate">
        <span className="font-semibold">{t.routeOf(o.route.name)}</span>{" "}
        <span className="text-sm text-quiet">{t.routeHelp}</span>
      </span>
    );
  if ("line" in o)
    return (
      <span className={`min-w-0 truncate ${can(o) ? "" : "text-quiet"}`}>
        <span className="font-semibold">{t.lineOf(o.line.label)}</span>{" "}
        <span className="text-sm text-quiet">{o.line.open ? t.lineFree(o.line.free) : t.lineClosed}</span>
      </span>
    );
  if ("number" in o)
    return (
      <span className="min-w-0 truncate">
        <span className="name">{o.name}</span>{" "}
        <span className="text-sm text-quiet">
          {o.number.label} {o.number.display}
        </span>
      </span>
    );
  if ("problem" in o)
    return o.problem ? (
      <span className="text-quiet">
        {o.display}: {o.problem}
      </span>
    ) : (
      <span className="font-semibold text-ours">{t.line(o.display)}</span>
    );
  return (
    <ColleagueLine
      colleague={o.colleague.colleague}
      line={[o.colleague.line, o.colleague.skills.join(", ")].filter(Boolean).join(" · ")}
      reason={o.colleague.reason}
      dim={!can(o)}
    />
  );
}
