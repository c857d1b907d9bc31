import { useQuery } from "@tanstack/react-query";
import { type ReactNode } from "react";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { roundPages } from "../texts/round_pages";
import { Check, Field, Select } from "../ui/field";
import type { Settings } from "./round";

const s = roundPages.start;

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <fieldset className="flex min-w-0 flex-col gap-2.5">
      <legend className="mb-1.5 w-full border-b border-rule-strong pb-1 font-semibold">{title}</legend>
      {children}
    </fieldset>
  );
}

const number = (text: string, least: number) => Math.max(least, Number.parseInt(text, 10) || 0);

/** RoundForm is what a round is: whom and in what order, when, what they see and hear, what I see and what happens afterwards. */
export function RoundForm({
  settings: x,
  choices,
  onChange,
  first,
}: {
  settings: Settings;
  choices: Schemas["RoundChoices"];
  onChange: (next: Settings) => void;
  first?: ReactNode; // stands before the order
}) {
  const me = useQuery(queries.me).data;
  const prepared = (useQuery(queries.prepared).data ?? []).filter((m) => m.active);
  const scripts = (useQuery(queries.scripts).data ?? []).filter((m) => m.active);
  const unreached = (me?.outcomes ?? []).filter(
    (o) => !o.reached && (o.directions.length === 0 || o.directions.includes("outbound")),
  );
  const set = (change: Partial<Settings>) => {
    onChange({ ...x, ...change });
  };
  /** without leaves a choice out where nothing is chosen: an optional id is there, or it is not. */
  const choose = (key: "line_id" | "message_id" | "message_outcome_id" | "call_type_id" | "script_id", id: string) => {
    const rest: Settings = { ...x };
    // eslint-disable-next-line @typescript-eslint/no-dynamic-delete -- one of five names
    delete rest[key];
    onChange(id ? { ...rest, [key]: id } : rest);
  };
  const minutes = Object.keys(s.minutes).includes(String(x.retry_minutes))
    ? s.minutes
    : { ...s.minutes, [String(x.retry_minutes)]: `${String(x.retry_minutes)} min` };
  return (
    <div className="grid grid-cols-2 gap-x-10 gap-y-6 max-[63.9rem]:grid-cols-1">
      <Part title={s.whom}>
        {first}
        <Select
          label={s.order}
          value={x.order}
          onChange={(e) => {
            set({ order: e.target.value as Settings["order"] });
          }}
        >
          {Object.entries(s.orders).map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
        </Select>
        <Check
          label={s.skipToday}
          checked={x.skip_called_today}
          onChange={(on) => {
            set({ skip_called_today: on });
          }}
        />
        <div className="flex gap-4">
          <Field
            label={s.perDay}
            type="number"
            min={1}
            max={10}
            className="w-28"
            value={x.per_day}
            onChange={(e) => {
              set({ per_day: number(e.target.value, 1) });
            }}
          />
          <Field
            label={s.perRound}
            type="number"
            min={1}
            max={20}
            className="w-28"
            value={x.per_round}
            onChange={(e) => {
              set({ per_round: number(e.target.value, 1) });
            }}
          />
        </div>
      </Part>
      <Part title={s.when}>
        <div className="flex gap-4">
          <Select
            label={s.pace}
            className="min-w-0 flex-1"
            value={x.pace}
            onChange={(e) => {
              set({ pace: e.target.value as Settings["pace"] });
            }}
          >
            {Object.entries(s.paces).map(([key, label]) => (
              <option key={key} value={key}>
                {label}
              </option>
            ))}
          </Select>
          {x.pace === "seconds" && (
            <Field
              label={s.seconds}
              type="number"
              min={1}
              max={120}
              className="w-24"
              value={x.seconds}
              onChange={(e) => {
                set({ seconds: number(e.target.value, 1) });
              }}
            />
          )}
        </div>
        <Select
          label={s.retry}
          value={String(x.retry_minutes)}
          onChange={(e) => {
            set({ retry_minutes: Number(e.target.value) });
          }}
        >
          {Object.entries(minutes).map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
        </Select>
        <Check
          label={s.otherHour}
          checked={x.other_hour}
          onChange={(on) => {
            set({ other_hour: on });
          }}
        />
        <Check
          label={s.takesCalls}
          checked={x.takes_calls}
          onChange={(on) => {
            set({ takes_calls: on });
          }}
        />
        <Check
          label={s.promises}
          checked={x.promises}
          onChange={(on) => {
            set({ promises: on });
          }}
        />
      </Part>
      <Part title={s.they}>
        <div className="grid grid-cols-2 gap-4">
          <Select
            label={s.shown}
            value={x.shown}
            onChange={(e) => {
              const shown = e.target.value as Settings["shown"];
              const first = choices.lines[0];
              set({ shown, ...(shown === "line" && !x.line_id && first ? { line_id: first.id } : {}) });
            }}
          >
            {Object.entries(s.shows).map(([key, label]) => (
              <option key={key} value={key}>
                {label}
              </option>
            ))}
          </Select>
          {x.shown === "line" ? (
            <Select
              label={s.line}
              value={x.line_id ?? ""}
              onChange={(e) => {
                choose("line_id", e.target.value);
              }}
            >
              {choices.lines.map((l) => (
                <option key={l.id} value={l.id}>
                  {l.label}
                </option>
              ))}
            </Select>
          ) : (
            <span />
          )}
        </div>
        <Field
          label={s.maxShown}
          type="number"
          min={0}
          max={100000}
          value={x.max_shown}
          onChange={(e) => {
            set({ max_shown: number(e.target.value, 0) });
          }}
        />
        <div className="grid grid-cols-2 gap-4">
          <Select
            label={s.message}
            value={x.message_id ?? ""}
            onChange={(e) => {
              choose("message_id", e.target.value);
            }}
          >
            <option value="">{s.fitting}</option>
            {prepared.map((m) => (
              <option key={m.id} value={m.id ?? ""}>
                {m.name}
              </option>
            ))}
          </Select>
          <Select
            label={s.messageOutcome}
            value={x.message_outcome_id ?? ""}
            onChange={(e) => {
              choose("message_outcome_id", e.target.value);
            }}
          >
            <option value="">{s.noOutcome}</option>
            {unreached.map((o) => (
              <option key={o.id} value={o.id}>
                {o.label}
              </option>
            ))}
          </Select>
        </div>
        <Select
          label={s.record}
          className="w-60"
          value={x.record}
          onChange={(e) => {
            set({ record: e.target.value as Settings["record"] });
          }}
        >
          {Object.entries(s.records).map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
        </Select>
      </Part>
      <Part title={s.me}>
        <div className="grid grid-cols-2 gap-4">
          <Select
            label={s.type}
            value={x.call_type_id ?? ""}
            onChange={(e) => {
              choose("call_type_id", e.target.value);
            }}
          >
            <option value="">{s.noType}</option>
            {(me?.call_types ?? []).map((c) => (
              <option key={c.id} value={c.id}>
                {c.label}
              </option>
            ))}
          </Select>
          <Select
            label={s.script}
            value={x.script_id ?? ""}
            onChange={(e) => {
              choose("script_id", e.target.value);
            }}
          >
            <option value="">{s.usualScript}</option>
            {scripts.map((m) => (
              <option key={m.id} value={m.id ?? ""}>
                {m.name}
              </option>
            ))}
          </Select>
        </div>
        <p className="text-sm text-quiet">{s.then}</p>
        <div className="flex flex-col gap-1">
          {unreached.map((o) =>
            choices.says.includes(o.id) ? (
              <p key={o.id} className="flex min-h-7 items-center gap-2">
                <span className="min-w-0 flex-1 truncate">{o.label}</span>
                <span className="text-sm text-quiet">{s.says}</span>
              </p>
            ) : (
              <label key={o.id} className="flex min-h-7 items-center gap-2">
                <span className="min-w-0 flex-1 truncate">{o.label}</span>
                <select
                  className="min-h-7 rounded-sm border border-edge bg-sheet px-1"
                  value={x.then.find((r) => r.outcome_id === o.id)?.then ?? "again"}
                  onChange={(e) => {
                    const then = e.target.value as Schemas["RoundRule"]["then"];
                    set({ then: [...x.then.filter((r) => r.outcome_id !== o.id), { outcome_id: o.id, then }] });
                  }}
                >
                  {Object.entries(s.thens).map(([key, label]) => (
                    <option key={key} value={key}>
                      {label}
                    </option>
                  ))}
                </select>
              </label>
            ),
          )}
        </div>
      </Part>
    </div>
  );
}
