import type { Answer } from '@crease/core/query';
import { useMemo, useRef, useState } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { QueryState } from '@crease/contract';
import type { ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { formatValue, memberText } from '../../parts/format.ts';
import { count, percent } from '../../parts/text.ts';
import type { MeasurePair, RowPair } from './sideBySide.ts';
import { differenceOf, sideBySide } from './sideBySide.ts';

const ROW = 25;
/** The least widths of columns, in pixels. */
const [MEMBER, VALUE, DIFFERENCE] = [130, 92, 150];

interface Props {
  /** What was put aside, and what is asked now. */
  readonly left: QueryState;
  readonly right: QueryState;
  readonly formats: Readonly<Record<string, ValueFormat>>;
}

/** Two answers row by row, with the difference of each number. */
export function CompareTable({ left, right, formats }: Props) {
  const [onlyDifferent, setOnlyDifferent] = useState(false);
  const pairs = useMemo(() => sideBySide(left, right), [left, right]);
  const shown = useMemo(
    () => (pairs?.rows ?? []).filter((row) => !onlyDifferent || row.differs),
    [pairs, onlyDifferent],
  );
  if (!pairs)
    return (
      <p className="p-4">
        The two questions are by different attributes: choose the same ones for both, or end the comparison.
      </p>
    );
  const differing = pairs.rows.filter((row) => row.differs).length;
  return (
    <>
      <div className="flex items-center gap-3 border-b border-rule px-4 py-1">
        <p role="status" className="flex-1 text-soft">
          {differing === 0
            ? `All ${count(pairs.rows.length)} rows are the same`
            : `${count(differing)} of ${count(pairs.rows.length)} rows differ`}
        </p>
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={onlyDifferent}
            onChange={(e) => setOnlyDifferent(e.target.checked)}
          />
          only differences
        </label>
      </div>
      <Pairs {...{ left, right, formats }} rows={shown} width={pairs.width} measures={pairs.measures} />
    </>
  );
}

function Pairs({
  left,
  right,
  formats,
  rows,
  width,
  measures,
}: Pick<Props, 'left' | 'right' | 'formats'> & {
  rows: readonly RowPair[];
  width: number;
  measures: readonly MeasurePair[];
}) {
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  const isBoth = (m: MeasurePair) => m.left !== undefined && m.right !== undefined;
  const widths = [
    `repeat(${width}, minmax(${MEMBER}px, 1.4fr))`,
    ...measures.map((m) =>
      isBoth(m)
        ? `repeat(2, minmax(${VALUE}px, 1fr)) minmax(${DIFFERENCE}px, 1.3fr)`
        : `minmax(${VALUE}px, 1fr)`,
    ),
  ].join(' ');
  const minWidth =
    width * MEMBER + measures.reduce((n, m) => n + (isBoth(m) ? 2 * VALUE + DIFFERENCE : VALUE), 0);
  const heads = measures.flatMap((m) => [
    ...(m.left === undefined ? [] : [`${m.name}, A`]),
    ...(m.right === undefined ? [] : [`${m.name}, B`]),
    ...(isBoth(m) ? ['difference'] : []),
  ]);
  const cellsOf = (l: readonly AnswerMember[] | undefined, r: readonly AnswerMember[] | undefined) =>
    measures.flatMap((m) => {
      const format = formats[m.name];
      const text = (value: AnswerMember | undefined) =>
        value === undefined ? '–' : formatValue(value, m.type, format);
      const [from, to] = [
        m.left === undefined ? undefined : l?.[m.left],
        m.right === undefined ? undefined : r?.[m.right],
      ];
      const parts = [
        ...(m.left === undefined ? [] : [text(from)]),
        ...(m.right === undefined ? [] : [text(to)]),
      ];
      if (m.left === undefined || m.right === undefined) return parts;
      const found = differenceOf(from, to, m.type);
      return [...parts, found ? differenceText(found, m.type, format) : from === to ? '' : 'differs'];
    });
  const totals = (answer: QueryState): readonly AnswerMember[] | undefined =>
    answer.totals && [...Array<null>(width).fill(null), ...answer.totals];
  const [l, r] = [totals(left), totals(right)];
  return (
    <div
      ref={box}
      role="table"
      aria-label="Two answers row by row"
      className="min-h-0 flex-1 overflow-auto"
      tabIndex={0}
    >
      <PairHead widths={widths} minWidth={minWidth} left={left} width={width} heads={heads} />
      <div role="rowgroup" style={{ height: virtual.getTotalSize(), position: 'relative', minWidth }}>
        {virtual.getVirtualItems().map(({ index, start, key }) => {
          const row = rows[index]!;
          const values = cellsOf(
            row.left === undefined ? undefined : left.rows[row.left],
            row.right === undefined ? undefined : right.rows[row.right],
          );
          return <PairRow key={key} row={row} widths={widths} start={start} left={left} values={values} />;
        })}
      </div>
      {l && r && width > 0 && (
        <div
          role="row"
          className="sticky bottom-0 z-10 grid border-t border-rule-strong bg-leaf font-semibold"
          style={{ gridTemplateColumns: widths, minWidth }}
        >
          <div role="cell" className="px-3 leading-[26px]" style={{ gridColumn: `span ${width}` }}>
            total
          </div>
          {cellsOf(l, r).map((text, i) => (
            <div key={i} role="cell" className="num truncate px-3 leading-[26px]">
              {text}
            </div>
          ))}
        </div>
      )}
    </div>
  );
}

function differenceText(
  { difference, share }: { difference: number; share: number | undefined },
  type: string,
  format: ValueFormat | undefined,
): string {
  if (difference === 0) return '=';
  const sign = difference > 0 ? '+' : '';
  const text = formatValue(
    Math.round(difference * 1e9) / 1e9,
    type.startsWith('integer') ? type : 'double',
    format,
  );
  return `${sign}${text}${share === undefined ? '' : ` (${share > 0 ? '+' : ''}${percent(share)})`}`;
}

/** The headings of both answers. */
function PairHead({
  widths,
  minWidth,
  left,
  width,
  heads,
}: {
  widths: string;
  minWidth: number;
  left: Answer & { elapsedMs: number };
  width: number;
  heads: readonly string[];
}) {
  return (
    <div
      role="row"
      className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf text-[12px] font-semibold"
      style={{ gridTemplateColumns: widths, minWidth }}
    >
      {left.columns.slice(0, width).map((c) => (
        <div key={c.name} role="columnheader" className="truncate px-3 py-[5px]" title={c.name}>
          {c.name}
        </div>
      ))}
      {heads.map((head, i) => (
        <div
          key={`${head} ${i}`}
          role="columnheader"
          className="truncate px-3 py-[5px] text-right"
          title={head}
        >
          {head}
        </div>
      ))}
    </div>
  );
}

/** A row of both answers. */
function PairRow({
  row,
  widths,
  start,
  left,
  values,
}: {
  row: RowPair;
  widths: string;
  start: number;
  left: Answer & { elapsedMs: number };
  values: readonly string[];
}) {
  return (
    <div
      role="row"
      className={`absolute left-0 grid w-full border-b border-rule ${row.differs ? 'font-semibold' : ''}`}
      style={{ gridTemplateColumns: widths, height: ROW, transform: `translateY(${start}px)` }}
    >
      {row.members.map((member, i) => (
        <div key={i} role="cell" className="truncate px-3 leading-[24px]">
          {memberText(member, left.columns[i]!.type)}
        </div>
      ))}
      {values.map((text, i) => (
        <div key={i} role="cell" className="num truncate px-3 leading-[24px]" title={text}>
          {text}
        </div>
      ))}
    </div>
  );
}
