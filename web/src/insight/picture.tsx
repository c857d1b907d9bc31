import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";

import type { Schemas } from "../api/client";
import { duration } from "../ui/clock";
import { amount } from "./asked";

type Group = Schemas["ReportGroup"];

const most = 40;
const axis = { fontSize: 12.5, fill: "var(--quiet)" };

/** Picture draws the first figure of each group: times from left to right, everything else from the top down. A bar opens its calls; the
 * table beneath says the same to everybody. */
export function Picture({
  groups,
  figure,
  lying,
  names,
  label,
  onOpen,
}: {
  groups: Group[];
  figure: Schemas["Figure"];
  lying: boolean;
  names: { now: string; beside?: string | undefined };
  label: string;
  onOpen: (key: string) => void;
}) {
  const rows = groups
    .map((g) => ({ key: g.key, label: g.label, now: g.cells[0]?.value ?? 0, beside: g.cells[0]?.beside }))
    .filter((g) => !lying || g.now !== 0 || (g.beside ?? 0) !== 0)
    .slice(0, lying ? most : 400);
  const tick = (v: number) =>
    figure.unit === "seconds" ? duration(v * 1000) : v.toLocaleString() + (figure.unit === "percent" ? " %" : "");
  const open = (row: unknown) => {
    const key = (row as { payload?: { key?: string } }).payload?.key;
    if (key !== undefined) onOpen(key);
  };
  const height = lying ? Math.max(120, rows.length * (names.beside ? 34 : 26) + 40) : 230;
  const drawn = [
    { key: "now", name: names.now, fill: "var(--ours)" },
    ...(names.beside ? [{ key: "beside", name: names.beside, fill: "var(--rule-strong)" }] : []),
  ];
  return (
    <div role="group" aria-label={label} data-testid="picture">
      {names.beside && (
        <p className="flex gap-4 text-sm text-quiet">
          {drawn.map((d) => (
            <span key={d.key} className="flex items-center gap-1.5">
              <span aria-hidden className="size-3 rounded-sm" style={{ background: d.fill }} />
              {d.name}
            </span>
          ))}
        </p>
      )}
      <div style={{ height }}>
        <ResponsiveContainer width="100%" height="100%">
          <BarChart
            data={rows}
            layout={lying ? "vertical" : "horizontal"}
            margin={{ top: 8, right: 12, bottom: 4, left: 4 }}
            barGap={1}
          >
            <CartesianGrid stroke="var(--rule)" horizontal={!lying} vertical={lying} />
            {lying ? (
              <>
                <XAxis type="number" tick={axis} tickFormatter={tick} stroke="var(--rule-strong)" />
                <YAxis
                  type="category"
                  dataKey="label"
                  width={150}
                  tick={axis}
                  interval={0}
                  stroke="var(--rule-strong)"
                />
              </>
            ) : (
              <>
                <XAxis dataKey="label" tick={axis} stroke="var(--rule-strong)" minTickGap={16} />
                <YAxis tick={axis} tickFormatter={tick} width={64} stroke="var(--rule-strong)" />
              </>
            )}
            <Tooltip
              cursor={{ fill: "var(--rule)", fillOpacity: 0.5 }}
              formatter={(v) => amount(figure, Number(v))}
              contentStyle={{ background: "var(--sheet)", border: "1px solid var(--rule-strong)", borderRadius: 4 }}
              labelStyle={{ color: "var(--ink)" }}
              itemStyle={{ color: "var(--ink)" }}
            />
            {drawn.map((d) => (
              <Bar
                key={d.key}
                dataKey={d.key}
                name={d.name}
                fill={d.fill}
                isAnimationActive={false}
                maxBarSize={18}
                onClick={open}
                className="cursor-pointer"
              />
            ))}
          </BarChart>
        </ResponsiveContainer>
      </div>
    </div>
  );
}
