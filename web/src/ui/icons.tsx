// The few signs that stand beside words.
const line = {
  fill: "none",
  stroke: "currentColor",
  strokeWidth: 1.6,
  strokeLinecap: "round",
  strokeLinejoin: "round",
} as const;

export function Cross() {
  return (
    <svg viewBox="0 0 12 12" width="10" height="10" aria-hidden {...line}>
      <path d="M2 2l8 8M10 2l-8 8" />
    </svg>
  );
}

export function More() {
  return (
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden {...line}>
      <path d="M2.5 4.5L6 8l3.5-3.5" />
    </svg>
  );
}

export function Tick() {
  return (
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden {...line}>
      <path d="M2 6.5L5 9.5 10 3" />
    </svg>
  );
}

export function Pen() {
  return (
    <svg viewBox="0 0 12 12" width="11" height="11" aria-hidden {...line}>
      <path d="M2 10l.6-2.6L8.2 1.8l2 2-5.6 5.6z" />
    </svg>
  );
}

export function Plus() {
  return (
    <svg viewBox="0 0 12 12" width="11" height="11" aria-hidden {...line}>
      <path d="M6 2v8M2 6h8" />
    </svg>
  );
}

export function Tomorrow() {
  return (
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden {...line}>
      <path d="M2 6h8M7 3l3 3-3 3" />
    </svg>
  );
}

export function Hand() {
  return (
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden {...line}>
      <path d="M6 6.5a2.2 2.2 0 1 0 0-4.4 2.2 2.2 0 0 0 0 4.4zM2 10.5c.6-2 2-2.7 4-2.7s3.4.7 4 2.7" />
    </svg>
  );
}

/** Out and In are the directions of a call: away from our line, or towards it. */
export function Direction({ way }: { way: "outbound" | "inbound" | "internal" }) {
  const path = {
    outbound: "M3 9l6-6M4.5 3H9v4.5",
    inbound: "M9 3L3 9M7.5 9H3V4.5",
    internal: "M2 6h8M4 4L2 6l2 2M8 4l2 2-2 2",
  }[way];
  return (
    <svg viewBox="0 0 12 12" width="11" height="11" aria-hidden className="inline" {...line}>
      <path d={path} />
    </svg>
  );
}

export function Mark() {
  return (
    <svg viewBox="0 0 32 32" width="24" height="24" aria-hidden>
      <path d="M4 15v-3M9 15V6M14 15V10" stroke="var(--ours)" strokeWidth="3.4" strokeLinecap="round" />
      <path d="M18 17v9M23 17v5M28 17v3" stroke="var(--theirs)" strokeWidth="3.4" strokeLinecap="round" />
    </svg>
  );
}

/** Again calls the same number once more. */
export function Again() {
  return (
    <svg viewBox="0 0 12 12" width="13" height="13" aria-hidden {...line}>
      <path d="M10 6a4 4 0 1 1-1.4-3M10 1.5v2.3H7.7" />
    </svg>
  );
}

export function Up() {
  return (
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden {...line}>
      <path d="M2.5 7.5L6 4l3.5 3.5" />
    </svg>
  );
}

export function Letter() {
  return (
    <svg viewBox="0 0 12 12" width="13" height="13" aria-hidden {...line}>
      <path d="M1.5 3h9v6.5h-9zM1.5 3.5L6 7l4.5-3.5" />
    </svg>
  );
}

export function Microphone({ off }: { off: boolean }) {
  return (
    <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden {...line}>
      <path d="M6 1.5a1.5 1.5 0 0 1 1.5 1.5v2.5a1.5 1.5 0 0 1-3 0V3A1.5 1.5 0 0 1 6 1.5zM3 5.5a3 3 0 0 0 6 0M6 8.5v2" />
      {off && <path d="M1.5 10.5l9-9" />}
    </svg>
  );
}
