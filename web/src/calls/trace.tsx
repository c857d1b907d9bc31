import type { Schemas } from "../api/client";
import { t } from "../texts";

type Trace = Schemas["VoiceTrace"];

/** outline is the path of one voice: a step for each value, away from the middle line. */
function outline(heights: number[], way: 1 | -1) {
  if (heights.length === 0) return "";
  let d = "M0 50";
  heights.forEach((h, i) => {
    const y = 50 - way * (h / 100) * 48;
    d += `L${i} ${y.toFixed(1)}L${i + 1} ${y.toFixed(1)}`;
  });
  return `${d}L${heights.length} 50Z`;
}

/** VoiceTrace is the picture of a call's voices along its time: ours above the middle line, theirs below; gaps are hatched. */
export function VoiceTrace({
  trace,
  width,
  gaps = [],
  ticks = [],
  at,
  label,
  className = "",
}: {
  trace: Trace;
  /** for how many values there is room; less is drawn from the left */
  width?: number;
  /** parts that were left out, as shares of the whole */
  gaps?: { from: number; to: number }[];
  /** moments of remarks, as shares of the whole */
  ticks?: number[];
  /** where it is being played, as a share of the whole */
  at?: number;
  label?: string;
  className?: string;
}) {
  const w = Math.max(1, width ?? Math.max(trace.ours.length, trace.theirs.length));
  return (
    <svg
      viewBox={`0 0 ${w} 100`}
      preserveAspectRatio="none"
      role="img"
      aria-label={label ?? t.voice.trace}
      data-testid="voice-trace"
      data-values={trace.theirs.length}
      className={`block w-full ${className}`}
    >
      <path d={outline(trace.ours, 1)} className="fill-ours" />
      <path d={outline(trace.theirs, -1)} className="fill-theirs" />
      <path d={`M0 50H${w}`} className="stroke-rule-strong" vectorEffect="non-scaling-stroke" />
      {gaps.map((g) => (
        <g key={g.from}>
          <rect
            x={g.from * w}
            y="0"
            width={Math.max((g.to - g.from) * w, w / 400)}
            height="100"
            className="fill-waiting-soft"
          />
          <path
            d={`M${g.from * w} 0V100M${g.to * w} 0V100M${g.from * w} 50H${g.to * w}`}
            className="stroke-waiting"
            strokeDasharray="3 3"
            vectorEffect="non-scaling-stroke"
          />
        </g>
      ))}
      {ticks.map((x, i) => (
        <path key={i} d={`M${x * w} 0V14`} className="stroke-ink" strokeWidth="3" vectorEffect="non-scaling-stroke" />
      ))}
      {at !== undefined && (
        <path d={`M${at * w} 0V100`} className="stroke-ink" strokeWidth="2" vectorEffect="non-scaling-stroke" />
      )}
    </svg>
  );
}
