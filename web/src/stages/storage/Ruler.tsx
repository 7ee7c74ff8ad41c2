import { useId } from 'react';
import type { KeyboardEvent } from 'react';
import { columnPath } from '@crease/core/formula';
import { numberFormat } from '../../parts/numberText.ts';
import { bytes, count } from '../../parts/text.ts';
import type { Segment } from './ruler.ts';
import { drawnSegments, lengthOf } from './ruler.ts';

/** Of the scale; a narrower segment cannot be hit with a pointer. */
const NARROWEST = 0.008;

const bitsText = (bits: number): string =>
  numberFormat({ maximumFractionDigits: bits < 10 ? 2 : 1 }).format(bits);

const isColumn = (s: Segment): boolean => s.kind === 'column' || s.kind === 'derived';

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
  const list = useId();
  const at = shown.findIndex((s) => columnPath(table, s.name) === selected);
  const step = (event: KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (by === undefined || !onSelect) return;
    event.preventDefault();
    for (let next = at < 0 && by < 0 ? shown.length - 1 : at + by; shown[next]; next += by)
      if (isColumn(shown[next])) return onSelect(columnPath(table, shown[next].name));
  };
  return (
    <div
      role={onSelect ? 'listbox' : 'group'}
      aria-label={label}
      {...(onSelect && {
        tabIndex: 0,
        'aria-orientation': 'horizontal',
        'aria-activedescendant': at < 0 ? undefined : `${list}${at}`,
        onKeyDown: step,
      })}
      className="relative flex items-center overflow-x-clip"
      style={{ height: Math.max(thickness, onSelect ? 24 : 0) }}
    >
      {shown.map((s, i) => {
        const path = columnPath(table, s.name);
        const says = `${s.name}: ${bitsText(s.bits)} bits a row, ${bytes(s.bytes)}`;
        const canOpen = onSelect !== undefined && isColumn(s);
        const isSelected = canOpen && selected === path;
        // Narrow ones are reached by the arrow keys as well, and stand in the list of columns.
        return (
          <span
            key={s.name}
            id={`${list}${i}`}
            role={onSelect ? 'option' : 'img'}
            aria-label={says}
            {...(onSelect && { 'aria-selected': isSelected, 'aria-disabled': !canOpen })}
            title={
              isColumn(s) ? `${says}; its codes need ${bitsText(s.least)} of ${bitsText(s.codes)}` : says
            }
            className={`flex h-full flex-none items-center ${canOpen ? 'cursor-pointer' : ''} ${isSelected ? 'outline-2 outline-focus outline-solid' : ''}`}
            style={{ width: `${(100 * s.bits) / scale}%` }}
            onClick={canOpen ? () => onSelect(path) : undefined}
          >
            <Body segment={s} thickness={thickness} isLast={i === shown.length - 1} />
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
