import { useState } from "react";

import type { Schemas } from "../api/client";
import { insight as x } from "../texts/insight";
import type { Condition } from "./asked";

const f = x.find;
const usual = 6;

/** Facets are what calls can be narrowed by, with how many there would be; what leaves all or nothing over is not shown. */
export function Facets({
  facets,
  where,
  onChange,
}: {
  facets: Schemas["FacetCounts"][];
  where: Condition[];
  onChange: (c: Condition) => void;
}) {
  return facets.map((facet) => {
    const only = where.find((c) => c.facet === facet.key && !c.not)?.values ?? [];
    const not = where.find((c) => c.facet === facet.key && c.not)?.values ?? [];
    if (facet.values.length < 2 && only.length + not.length === 0 && facet.key !== "topic" && facet.key !== "has")
      return null;
    if (facet.values.length === 0 && only.length + not.length === 0) return null;
    return <One key={facet.key} facet={facet} only={only} not={not} onChange={onChange} />;
  });
}

function One({
  facet,
  only,
  not,
  onChange,
}: {
  facet: Schemas["FacetCounts"];
  only: string[];
  not: string[];
  onChange: (c: Condition) => void;
}) {
  const [all, setAll] = useState(false);
  const ordered = ["hour", "weekday", "length", "wait"].includes(facet.key) || /share|silence|overlap/.test(facet.key);
  const values = ordered ? facet.values : [...facet.values].sort((a, b) => b.count - a.count);
  const shown = all || values.length <= usual + 1 ? values : values.slice(0, usual);
  const toggle = (list: string[], key: string) => (list.includes(key) ? list.filter((k) => k !== key) : [...list, key]);
  const name = x.facets[facet.key] ?? facet.key;
  return (
    <fieldset className="mb-3" data-testid={`facet-${facet.key}`}>
      <legend className="w-full border-b border-rule-strong pb-0.5 text-sm text-quiet first-letter:uppercase">
        {name}
      </legend>
      <ul>
        {shown.map((v) => (
          <li key={v.key} className="group flex items-center gap-1">
            <button
              type="button"
              aria-pressed={only.includes(v.key)}
              className="flex min-h-6 min-w-0 flex-1 items-center gap-2 rounded-sm px-1 text-left hover:bg-rule/60 aria-pressed:bg-ours-soft aria-pressed:font-semibold"
              onClick={() => {
                onChange({ facet: facet.key, values: toggle(only, v.key) });
              }}
            >
              <span className="sr-only">{f.onlyWord}</span>
              <span className={`min-w-0 flex-1 truncate ${not.includes(v.key) ? "line-through" : ""}`} title={v.label}>
                {v.label}
              </span>
              <span className="text-sm text-quiet">{v.count.toLocaleString()}</span>
            </button>
            <button
              type="button"
              aria-pressed={not.includes(v.key)}
              title={f.without(v.label)}
              className="min-h-6 rounded-sm px-1 text-sm text-quiet opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-ending aria-pressed:opacity-100 aria-pressed:text-ending"
              onClick={() => {
                onChange({ facet: facet.key, values: toggle(not, v.key), not: true });
              }}
            >
              {f.not} <span className="sr-only">{v.label}</span>
            </button>
          </li>
        ))}
      </ul>
      {values.length > shown.length && (
        <button
          type="button"
          className="min-h-6 px-1 text-sm text-quiet underline"
          onClick={() => {
            setAll(true);
          }}
        >
          {f.moreValues(values.length - shown.length)}
        </button>
      )}
    </fieldset>
  );
}
