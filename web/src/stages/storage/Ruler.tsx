import { columnPath } from '@crease/core/formula';
import { bytes, count } from '../../parts/text.ts';
import type { Segment } from './ruler.ts';
import { drawnSegments, lengthOf } from './ruler.ts';

/** Of the scale; a narrower segment cannot be hit with a pointer. */
const NARROWEST = 0.008;

const bitsText = (bits: number): string =>
  bits.toLocaleString(undefined, { maximumFractionDigits: bits < 10 ? 2 : 1 });

export { bitsText };

/**
 * The ruler of a table: its length the bits of one row on a scale of `scale` bits, its thickness the rows.
 * In each segment what the values need is ink, what the way of holding adds is pale, and the dictionary is
 * between.
 */
export function Ruler({
  table,
  segments,
  scale,
  thickness,
  selected,
  onSelect,
  label,
}: {
  table: string;
  segments: readonly Segment[];
  scale: number;
  thickness: number;
  /** `table.column`. */
  selected?: string | undefined;
  /** Without it the ruler is for looking alone. */
  onSelect?: ((path: string) => void) | undefined;
  label: string;
}) {
  const shown = drawnSegments(segments, scale * NARROWEST);
  const height = Math.max(thickness, onSelect ? 24 : thickness);
  return (
    <div
      role="group"
      aria-label={label}
      className="relative flex items-center overflow-x-clip"
      style={{ height }}
    >
      {shown.map((s, i) => {
        const path = columnPath(table, s.name);
        const isColumn = s.kind === 'column' || s.kind === 'derived';
        const style = { width: `${(100 * s.bits) / scale}%`, flex: 'none' };
        const says = `${s.name}: ${bitsText(s.bits)} bits a row, ${bytes(s.bytes)}`;
        const body = <Body segment={s} thickness={thickness} isLast={i === shown.length - 1} />;
        return isColumn && onSelect ? (
          <button
            key={s.name}
            className={`flex h-full items-center ${selected === path ? 'outline-2 outline-focus' : ''}`}
            style={{ ...style, outlineStyle: selected === path ? 'solid' : undefined }}
            aria-pressed={selected === path}
            aria-label={says}
            title={`${says}; its values need ${bitsText(s.least)} of ${bitsText(s.codes)}`}
            onClick={() => onSelect(path)}
          >
            {body}
          </button>
        ) : (
          <span
            key={s.name}
            className="flex h-full items-center"
            style={style}
            title={says}
            role="img"
            aria-label={says}
          >
            {body}
          </span>
        );
      })}
      {lengthOf(shown) > scale && (
        <span
          className="absolute right-0 bg-leaf px-1 text-soft"
          title={`${bitsText(lengthOf(shown))} bits: longer than the scale`}
        >
          … {bitsText(lengthOf(shown))}
        </span>
      )}
    </div>
  );
}

function Body({ segment: s, thickness, isLast }: { segment: Segment; thickness: number; isLast: boolean }) {
  const part = (bits: number) => ({ width: s.bits === 0 ? '0%' : `${(100 * bits) / s.bits}%` });
  const edge = isLast ? 'border-r border-ink' : '';
  if (s.kind === 'relationships' || s.kind === 'hierarchies')
    return (
      <span
        className={`hatched block w-full border-y border-l border-rule-strong ${edge}`}
        style={{ height: thickness }}
      />
    );
  const isDerived = s.kind === 'derived';
  return (
    <span
      className={`relative flex w-full overflow-hidden border-l border-leaf ${edge} ${isDerived ? 'opacity-55' : ''}`}
      style={{ height: thickness }}
    >
      <span className="bg-ink" style={part(s.least)} />
      <span className="bg-bar-soft" style={part(s.codes - s.least)} />
      <span className="bg-bar" style={part(s.dictionary)} />
    </span>
  );
}

/** The names of the segments that are wide enough for theirs, below a ruler. */
export function RulerNames({ segments, scale }: { segments: readonly Segment[]; scale: number }) {
  const shown = drawnSegments(segments, scale * NARROWEST);
  return (
    <div className="flex overflow-x-clip text-[11px] leading-[15px] text-soft" aria-hidden>
      {shown.map((s) => (
        <span
          key={s.name}
          className="overflow-hidden border-l border-rule pl-[3px] text-nowrap"
          style={{ width: `${(100 * s.bits) / scale}%`, flex: 'none' }}
        >
          {s.bits / scale > 0.05 ? s.name : ''}
        </span>
      ))}
    </div>
  );
}

/** Where a table's ruler ends: its bits a row, and the bytes that they come to. */
export const rulerSays = (segments: readonly Segment[], rows: number, total: number): string =>
  `${bitsText(lengthOf(segments))} bits a row × ${count(rows)} rows = ${bytes(total)}`;
