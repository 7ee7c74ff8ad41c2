import type { Verdict } from '@crease/core/claims';

const TITLES: Record<Verdict, string> = {
  holds: 'holds',
  broken: 'broken',
  unchecked: 'unchecked',
  waived: 'waived',
};
const VERDICT_COLOR: Record<Verdict, string> = {
  holds: 'var(--green)',
  broken: 'var(--vermilion)',
  unchecked: 'var(--slate)',
  waived: 'var(--violet)',
};

/** A verdict has a shape as well as a colour: a disc, a torn square, a hatched square, a ring with a bar. */
export function VerdictMark({ verdict, size = 12 }: { verdict: Verdict; size?: number }) {
  const color = VERDICT_COLOR[verdict];
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 12 12"
      role="img"
      aria-label={TITLES[verdict]}
      className="inline-block shrink-0"
    >
      <title>{TITLES[verdict]}</title>
      {verdict === 'holds' && <circle cx="6" cy="6" r="4.6" fill={color} />}
      {verdict === 'broken' && (
        <path d="M1 1h4.2L4 5l3 1.4L5.4 11H1zM6.6 1H11v10H7.2l1.4-5.2L5.8 4.4z" fill={color} />
      )}
      {verdict === 'unchecked' && (
        <path
          d="M1.5 1.5h9v9h-9zM1.5 6l4.5-4.5M1.5 10.5l9-9M6 10.5 10.5 6"
          fill="none"
          stroke={color}
          strokeWidth="1.2"
        />
      )}
      {verdict === 'waived' && (
        <path
          d="M6 1.8a4.2 4.2 0 1 0 0 8.4 4.2 4.2 0 0 0 0-8.4M1.5 6h9"
          fill="none"
          stroke={color}
          strokeWidth="1.6"
        />
      )}
    </svg>
  );
}

/** Rows by class as small bars, the tallest at full height. */
export function Distribution({
  rows,
  width = 84,
  height = 20,
  label,
}: {
  rows: readonly number[];
  width?: number;
  height?: number;
  label: string;
}) {
  const most = Math.max(1, ...rows);
  const step = width / Math.max(1, rows.length);
  return (
    <svg width={width} height={height} role="img" aria-label={label} className="block">
      <title>{label}</title>
      <path d={`M0 ${height - 0.5}H${width}`} stroke="var(--rule-strong)" />
      {rows.map((n, i) => {
        const h = n === 0 ? 0 : Math.max(1, (n / most) * (height - 2));
        return (
          <rect
            key={i}
            x={i * step}
            y={height - 1 - h}
            width={Math.max(1, step - 1)}
            height={h}
            fill="var(--bar)"
          />
        );
      })}
    </svg>
  );
}

/** How much of a whole: a bar with its share in words. */
export function Gauge({ part, width = 60, label }: { part: number; width?: number; label: string }) {
  return (
    <span
      className="inline-block h-[6px] border border-rule-strong align-middle"
      style={{ width }}
      role="img"
      aria-label={label}
      title={label}
    >
      <span className="block h-full bg-bar" style={{ width: `${Math.min(100, part * 100)}%` }} />
    </span>
  );
}

/**
 * The card of a role: folded corner for facts, plain for dimensions, notched for bridges, dashed for staging.
 */
export function RoleMark({
  role,
  size = 14,
}: {
  role: 'fact' | 'dimension' | 'bridge' | 'staging';
  size?: number;
}) {
  const paths = {
    fact: 'M1 2h8l4 4v6H1zM9 2v4h4',
    dimension: 'M1 2h12v10H1z',
    bridge: 'M1 2h4v2h4V2h4v10H9v-2H5v2H1z',
    staging: 'M1 2h12v10H1z',
  };
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 14 14"
      role="img"
      aria-label={role}
      className="inline-block shrink-0"
    >
      <title>{role}</title>
      <path
        d={paths[role]}
        fill="var(--raised)"
        stroke="var(--ink)"
        strokeWidth="1.1"
        strokeDasharray={role === 'staging' ? '2 1.6' : undefined}
      />
    </svg>
  );
}
