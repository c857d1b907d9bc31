import type { Schemas } from "../api/client";
import { insight } from "../texts/insight";
import { duration } from "../ui/clock";

const p = insight.path;

const fills: Record<Schemas["PathSpan"]["mode"], string> = {
  ring: "fill-none stroke-quiet",
  talk: "fill-ours",
  consult: "fill-ours-soft stroke-ours",
  hold: "fill-waiting-soft stroke-waiting",
  wait: "fill-waiting-soft stroke-waiting",
};

const row = 20;
const nobody = "they"; // an outside party that the server has no other name for

/** CallPath is what each party of a call went through, along its time: a lane for each, from its first ring to its end. It says the same in words. */
export function CallPath({ lanes, they, ms }: { lanes: Schemas["PathLane"][]; they: string; ms: number }) {
  if (lanes.length < 3 || ms <= 0) return null; // one who calls and one who answers: the sentence above says it
  const x = (at: number) => `${String((100 * at) / ms)}%`;
  const used = [...new Set(lanes.flatMap((l) => l.spans.map((s) => s.mode)))];
  return (
    <section aria-label={p.title} className="mt-4" data-testid="call-path">
      <ul>
        {lanes.map((lane, i) => (
          <li key={i} className="flex items-center gap-2">
            <span className="w-36 shrink-0 truncate text-sm" title={lane.kind === "outside" ? they : lane.name}>
              {lane.kind === "outside" && lane.name === nobody ? they : lane.name}
            </span>
            <svg width="100%" height={row} aria-hidden className="min-w-0 flex-1">
              <line x1="0" x2="100%" y1={row / 2} y2={row / 2} className="stroke-rule" />
              {lane.spans.map((s) => (
                <rect
                  key={s.from_ms}
                  x={x(s.from_ms)}
                  width={x(Math.max(s.to_ms - s.from_ms, ms / 400))}
                  y={s.mode === "ring" ? row / 2 - 2 : 4}
                  height={s.mode === "ring" ? 4 : row - 8}
                  className={lane.kind === "outside" && s.mode === "talk" ? "fill-theirs" : fills[s.mode]}
                  strokeDasharray={s.mode === "hold" || s.mode === "wait" ? "3 2" : undefined}
                />
              ))}
            </svg>
            <span className="sr-only">
              {lane.spans.map((s) => `${p.modes[s.mode]} ${duration(s.from_ms)} – ${duration(s.to_ms)}`).join(", ")}
            </span>
          </li>
        ))}
      </ul>
      <p aria-hidden className="mt-0.5 flex justify-between pl-38 text-sm text-quiet">
        <span>0:00</span>
        <span className="flex gap-3">
          {used.map((m) => (
            <span key={m} className="flex items-center gap-1">
              <svg width="14" height="10">
                <rect
                  x="1"
                  y={m === "ring" ? 3 : 1}
                  width="12"
                  height={m === "ring" ? 4 : 8}
                  className={fills[m]}
                  strokeDasharray={m === "hold" || m === "wait" ? "3 2" : undefined}
                />
              </svg>
              {p.modes[m]}
            </span>
          ))}
        </span>
        <span>{duration(ms)}</span>
      </p>
    </section>
  );
}
