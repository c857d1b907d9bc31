import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { IconButton } from "../ui/button";
import { Field, Select } from "../ui/field";
import { Cross } from "../ui/icons";

type Effect = Schemas["Effect"];
type Kind = Effect["kind"];
const s = t.after.settings;

/** The effects that can be set, in the order in which they are offered. */
const kinds: Kind[] = [
  "follow_up",
  "retry",
  "message",
  "mail",
  "add_to_list",
  "take_off_list",
  "add_tag",
  "deal_stage",
  "new_case",
  "case_state",
  "do_not_call",
  "end_sequence",
  "webhook",
];

/** begins is an effect as it is when its kind has just been chosen. */
function begins(kind: Kind): Effect {
  switch (kind) {
    case "follow_up":
      return { kind, act: "call", text: "", count: 1, unit: "business_days", at: 10 * 60 };
    case "retry":
      return { kind, count: 2, unit: "hours", next: false };
    case "do_not_call":
      return { kind, value: "number" };
    default:
      return { kind };
  }
}

const clock = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;

type After = { count?: number; unit?: NonNullable<Effect["unit"]>; at?: number | null };

/** AfterFields say after what time something is done, counted in what, and at which time of the day there. */
export function AfterFields({ after: e, onChange }: { after: After; onChange: (change: After) => void }) {
  return (
    <>
      <span>{s.in}</span>
      <Field
        label={s.count}
        hidden
        type="number"
        min={0}
        max={1000}
        className="w-15"
        value={String(e.count ?? 0)}
        onChange={(x) => {
          onChange({ count: Math.max(0, Math.round(Number(x.target.value))) });
        }}
      />
      <Select
        label={s.unit}
        hidden
        className="w-34"
        value={e.unit ?? "days"}
        onChange={(x) => {
          onChange({ unit: x.target.value as NonNullable<Effect["unit"]> });
        }}
      >
        {(["minutes", "hours", "business_days", "days", "weeks"] as const).map((u) => (
          <option key={u} value={u}>
            {s.units[u]}
          </option>
        ))}
      </Select>
      {e.unit !== "minutes" && e.unit !== "hours" && (
        <Field
          label={s.at}
          hidden
          type="time"
          title={s.atHint}
          className="w-28"
          value={typeof e.at === "number" ? clock(e.at) : ""}
          onChange={(x) => {
            const [h, m] = x.target.value.split(":").map(Number);
            onChange({ at: x.target.value ? (h ?? 0) * 60 + (m ?? 0) : null });
          }}
        />
      )}
    </>
  );
}

/** EffectForm is one thing that an outcome does. Changing it to nothing takes it away. */
export function EffectForm({
  effect: e,
  settings,
  onChange,
}: {
  effect: Effect;
  settings: Schemas["OutcomeSettings"];
  onChange: (next: Effect | undefined) => void;
}) {
  const lists = (useQuery(queries.lists).data ?? []).filter((l) => l.type === "hand");
  const templates = useQuery(queries.templates).data ?? [];
  const hooks = (useQuery(queries.webhooks).data?.webhooks ?? []).filter((x) => x.active && x.id);
  const set = (change: Partial<Effect>) => {
    onChange({ ...e, ...change });
  };
  const choice = (
    label: string,
    value: string,
    options: { value: string; label: string }[],
    key: "target" | "value",
  ) => (
    <Select
      label={label}
      hidden
      className="w-52"
      value={value}
      onChange={(x) => {
        set({ [key]: x.target.value });
      }}
    >
      <option value="">{s.choose}</option>
      {options.map((o) => (
        <option key={o.value} value={o.value}>
          {o.label}
        </option>
      ))}
    </Select>
  );
  const words = (all: string[] | undefined) => (all ?? []).map((x) => ({ value: x, label: x }));
  return (
    <li className="relative flex flex-wrap items-center gap-2 border-b border-rule py-1.5 pr-8">
      <Select
        label={s.kind}
        hidden
        className="w-38"
        value={e.kind}
        onChange={(x) => {
          onChange(begins(x.target.value as Kind));
        }}
      >
        {kinds.map((k) => (
          <option key={k} value={k}>
            {s.kinds[k]}
          </option>
        ))}
      </Select>
      {e.kind === "follow_up" && (
        <Select
          label={s.act}
          hidden
          className="w-26"
          value={e.act ?? "call"}
          onChange={(x) => {
            set({ act: x.target.value as NonNullable<Effect["act"]> });
          }}
        >
          {(["call", "mail", "meeting", "task"] as const).map((a) => (
            <option key={a} value={a}>
              {s.acts[a]}
            </option>
          ))}
        </Select>
      )}
      {e.kind === "retry" && (
        <Select
          label={s.which}
          hidden
          className="w-40"
          value={e.next ? "next" : "same"}
          onChange={(x) => {
            set({ next: x.target.value === "next" });
          }}
        >
          <option value="same">{s.sameNumber}</option>
          <option value="next">{s.nextNumber}</option>
        </Select>
      )}
      {(e.kind === "follow_up" || e.kind === "retry") && <AfterFields after={e} onChange={set} />}
      {(e.kind === "follow_up" || e.kind === "new_case" || e.kind === "add_tag") && (
        <Field
          label={e.kind === "add_tag" ? s.tag : s.text}
          hidden
          placeholder={e.kind === "add_tag" ? s.tag : s.text}
          maxLength={500}
          className="min-w-40 flex-1"
          value={e.text ?? ""}
          onChange={(x) => {
            set({ text: x.target.value });
          }}
        />
      )}
      {(e.kind === "add_to_list" || e.kind === "take_off_list") &&
        choice(
          s.list,
          e.target ?? "",
          lists.map((l) => ({ value: l.id, label: l.name })),
          "target",
        )}
      {(e.kind === "message" || e.kind === "mail") &&
        choice(
          s.template,
          e.target ?? "",
          templates
            .filter((x) => x.channel === (e.kind === "mail" ? "mail" : "text"))
            .map((x) => ({ value: x.id ?? "", label: x.name })),
          "target",
        )}
      {e.kind === "webhook" &&
        choice(
          s.program,
          e.target ?? "",
          hooks.map((x) => ({ value: x.id ?? "", label: x.name })),
          "target",
        )}
      {e.kind === "deal_stage" && choice(s.stage, e.value ?? "", words(settings.deal_stages), "value")}
      {e.kind === "case_state" && choice(s.stage, e.value ?? "", words(settings.case_states), "value")}
      {e.kind === "do_not_call" &&
        choice(
          s.whom,
          e.value ?? "",
          [
            { value: "number", label: s.thisNumber },
            { value: "person", label: s.thisPerson },
          ],
          "value",
        )}
      <IconButton
        label={s.removeEffect}
        className="absolute top-2.5 right-0"
        onClick={() => {
          onChange(undefined);
        }}
      >
        <Cross />
      </IconButton>
    </li>
  );
}
