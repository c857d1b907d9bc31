import { useFields } from "../book/values";
import { FilterPanel } from "../lists/filter_panel";
import { readFilter } from "../lists/filter";
import { routes as r } from "../texts/routes";
import { Check, Field } from "../ui/field";
import { spansOf, textOf, WeekHours } from "../ui/week_hours";
import { Pick } from "./pick";
import type { Doc, Step } from "./route_tree";

type Test = NonNullable<Step["test"]>;

/** TestForm is what a condition of a route looks at. */
export function TestForm({ doc, test, onChange }: { doc: Doc; test: Test; onChange: (t: Test) => void }) {
  const asked = digitNames(doc.steps);
  const kind = test.kind ?? "contact";
  const fields = useFields(kind as "contact");
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
            ...(is === "fits" ? { kind: "contact", filter: { all: [{ field: "stage", op: "filled" }] } } : {}),
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
        <>
          <Pick
            label={r.tests["kind"] ?? ""}
            value={kind}
            options={Object.entries(r.kinds)}
            onPick={(k) => onChange({ ...test, kind: k, filter: { all: [] } })}
          />
          <FilterPanel
            fields={fields}
            filter={readFilter(JSON.stringify(test.filter ?? {}))}
            when={r.recordFits}
            onChange={(filter) => onChange({ ...test, kind, filter })}
          />
        </>
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

/** digitNames are under what digits are kept that a route asks for. */
function digitNames(steps: Step[]): string[] {
  return steps.flatMap((s) => [
    ...(s.do === "digits" && s.name ? [s.name] : []),
    ...(s.options ?? []).flatMap((o) => digitNames(o.steps)),
    ...digitNames(s.steps ?? []),
    ...digitNames(s.else ?? []),
  ]);
}
