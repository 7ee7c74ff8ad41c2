import type { JudgedClaim } from '@crease/core/claims';
import { cardinalityOf, isDefault } from '@crease/core/model';
import { compact } from '../text.ts';
import type { Card, Edge } from './layout.ts';
import { HEAD_HEIGHT, ROW_HEIGHT } from './layout.ts';

interface Props {
  readonly edge: Edge;
  /** The claims whose subject the relationship is. */
  readonly claims: readonly JudgedClaim[];
  readonly selected: boolean;
  readonly faded: boolean;
  readonly onSelect: () => void;
}

const rowY = (card: Card, column: string): number => {
  const at = card.listed.findIndex((c) => c.toLowerCase() === column.toLowerCase());
  return card.y + (at < 0 ? HEAD_HEIGHT / 2 : HEAD_HEIGHT + ROW_HEIGHT * (at + 0.5));
};

interface Line {
  readonly x1: number;
  readonly y1: number;
  readonly x2: number;
  readonly y2: number;
  /** Where the line leaves its ends: 1 to the right, -1 to the left. */
  readonly d1: number;
  readonly d2: number;
  readonly path: string;
  /** Where what it says stands. */
  readonly middle: { readonly x: number; readonly y: number };
}

/** The line of one pair of columns, from 0. */
function lineOf({ relationship: r, from, to, place }: Edge, pair = 0): Line {
  const leftward = to.x < from.x;
  const sameColumn = Math.abs(to.x - from.x) < 1;
  const [x1, x2] = sameColumn
    ? [from.x + from.width, to.x + to.width]
    : [leftward ? from.x : from.x + from.width, leftward ? to.x + to.width : to.x];
  const [y1, y2] = [rowY(from, r.from.columns[pair]!), rowY(to, r.to.columns[pair]!)];
  const [d1, d2] = [leftward ? -1 : 1, sameColumn ? 1 : leftward ? 1 : -1];
  const pull = sameColumn ? 70 : Math.max(46, Math.abs(x2 - x1) * 0.45);
  const [c1, c2] = [x1 + d1 * pull, x2 + d2 * pull];
  // Lines that end in one column meet there: what they say stands nearer to where they start, and of several
  // between two cards not side by side.
  const t = 0.28 + 0.22 * (place % 3);
  const u = 1 - t;
  const middle = {
    x: u ** 3 * x1 + 3 * u * u * t * c1 + 3 * u * t * t * c2 + t ** 3 * x2,
    y: u ** 3 * y1 + 3 * u * u * t * y1 + 3 * u * t * t * y2 + t ** 3 * y2,
  };
  return { x1, y1, x2, y2, d1, d2, path: `M${x1} ${y1}C${c1} ${y1} ${c2} ${y2} ${x2} ${y2}`, middle };
}

const orphansAmong = (claims: readonly JudgedClaim[]): JudgedClaim | undefined =>
  claims.find((c) => c.kind === 'reference-complete' && c.verdict === 'broken');
const isBroken = (claims: readonly JudgedClaim[]): boolean =>
  claims.some((c) => c.verdict === 'broken' && c.weight === 'blocks');

/**
 * A relationship as a line for each pair of its columns, which tells its soundness: crow's foot at the many
 * end, a bar at the one end.
 */
export function EdgeLine({ edge, claims, selected, faded, onSelect }: Props) {
  const { relationship: r } = edge;
  const lines = r.from.columns.map((_, pair) => lineOf(edge, pair));
  const kind = cardinalityOf(r);
  const orphans = orphansAmong(claims);
  const broken = isBroken(claims);
  const color = selected ? 'var(--ink)' : broken ? 'var(--vermilion)' : 'var(--soft)';
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={`relationship ${r.name}${orphans ? `, ${orphans.evidence.against} orphans` : broken ? ', broken' : ''}`}
      aria-pressed={selected}
      className="cursor-pointer"
      opacity={faded ? 0.22 : 1}
      onPointerDown={(e) => e.stopPropagation()}
      onClick={onSelect}
      onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && onSelect()}
    >
      <title>{`${r.name}: ${r.from.table} → ${r.to.table} (${kind}${isDefault(r) ? '' : ', not by default'})`}</title>
      {lines.map(({ x1, y1, x2, y2, d1, d2, path }, pair) => (
        <g key={pair}>
          <path d={path} fill="none" stroke="transparent" strokeWidth={12} />
          <path
            d={path}
            fill="none"
            stroke={color}
            strokeWidth={selected ? 2.4 : 1.3}
            strokeDasharray={isDefault(r) ? undefined : '4 4'}
          />
          <End x={x1} y={y1} direction={d1} many={kind !== 'one-to-one'} color={color} />
          <End
            x={x2}
            y={y2}
            direction={d2}
            many={kind === 'many-to-many'}
            level={kind === 'many-to-level'}
            color={color}
          />
        </g>
      ))}
    </g>
  );
}

/**
 * What is wrong with a relationship, over all lines: a break with the count of orphans and a gauge of matched
 * rows, or a torn mark.
 */
export function EdgeMark({ edge, claims, faded }: Pick<Props, 'edge' | 'claims' | 'faded'>) {
  const { middle } = lineOf(edge);
  const orphans = orphansAmong(claims);
  if (!orphans && !isBroken(claims)) return null;
  const checked = orphans?.evidence.checked ?? 0;
  const matched = orphans && checked > 0 ? 1 - orphans.evidence.against / checked : 1;
  return (
    <g className="pointer-events-none" opacity={faded ? 0.22 : 1} aria-hidden>
      {orphans ? (
        <g transform={`translate(${middle.x} ${middle.y})`}>
          <rect x={-6} y={-8} width={12} height={16} fill="var(--leaf)" />
          <path d="M-6 7 -2-7M2 7 6-7" stroke="var(--vermilion)" strokeWidth={1.6} />
          <text
            y={-11}
            textAnchor="middle"
            fontSize={11.5}
            fontWeight={650}
            fill="var(--vermilion)"
            stroke="var(--leaf)"
            strokeWidth={4}
            paintOrder="stroke"
          >
            {compact(orphans.evidence.against)}
          </text>
          <g transform="translate(-18 12)">
            <rect width={36} height={4} fill="var(--leaf)" stroke="var(--rule-strong)" strokeWidth={0.7} />
            <rect width={36 * matched} height={4} fill="var(--bar)" />
          </g>
        </g>
      ) : (
        <path
          transform={`translate(${middle.x - 6} ${middle.y - 6})`}
          d="M1 1h4.2L4 5l3 1.4L5.4 11H1zM6.6 1H11v10H7.2l1.4-5.2L5.8 4.4z"
          fill="var(--vermilion)"
          stroke="var(--leaf)"
          strokeWidth={0.6}
        />
      )}
    </g>
  );
}

/** Crow's foot for many, a bar for one, three rungs for a level. */
function End({
  x,
  y,
  direction,
  many,
  level = false,
  color,
}: {
  x: number;
  y: number;
  direction: number;
  many: boolean;
  level?: boolean;
  color: string;
}) {
  const d = direction;
  if (many)
    return (
      <path
        d={`M${x + d * 11} ${y}L${x} ${y - 5}M${x + d * 11} ${y}L${x} ${y + 5}`}
        stroke={color}
        strokeWidth={1.2}
        fill="none"
      />
    );
  if (level)
    return (
      <path
        d={`M${x + d * 5} ${y - 5}v10M${x + d * 8} ${y - 5}v10M${x + d * 11} ${y - 5}v10`}
        stroke={color}
        strokeWidth={1.2}
      />
    );
  return <path d={`M${x + d * 6} ${y - 5}v10`} stroke={color} strokeWidth={1.4} />;
}
