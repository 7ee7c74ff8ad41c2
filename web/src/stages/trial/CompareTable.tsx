import { useMemo, useRef, useState } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { QueryState } from '@crease/contract';
import type { Query, ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { useModel } from '../../state/model.tsx';
import { formatValue, memberText } from '../../parts/format.ts';
import { count, percent } from '../../parts/text.ts';
import { questionText } from './attributes.ts';
import type { MeasurePair, RowPair } from './sideBySide.ts';
import { differenceOf, sideBySide } from './sideBySide.ts';

const ROW = 25;
/** The least widths of columns, in pixels. */
const [MEMBER, VALUE, DIFFERENCE] = [130, 92, 150];

interface Props {
  /** What was put aside, and its answer. */
  readonly left: { readonly query: Query; readonly answer: QueryState };
  readonly right: { readonly query: Query; readonly answer: QueryState };
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly onSwap: () => void;
  readonly onEnd: () => void;
}

/** Two answers row by row, with the difference of each number. */
export function CompareTable({ left, right, formats, onSwap, onEnd }: Props) {
  const { model } = useModel();
  const [onlyDifferent, setOnlyDifferent] = useState(false);
  const pairs = useMemo(() => sideBySide(left.answer, right.answer), [left.answer, right.answer]);
  const shown = useMemo(
    () => (pairs?.rows ?? []).filter((row) => !onlyDifferent || row.differs),
    [pairs, onlyDifferent],
  );
  const differing = (pairs?.rows ?? []).filter((row) => row.differs).length;
  return (
    <section aria-label="Two answers" className="flex min-h-0 flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-paper px-4 py-2">
        <dl className="min-w-0 flex-1 text-[12px]">
          {[['A', left.query] as const, ['B', right.query] as const].map(([letter, query]) => (
            <div key={letter} className="flex gap-2">
              <dt className="font-semibold">{letter}</dt>
              <dd className="truncate" title={questionText(query, model)}>
                {questionText(query, model)}
              </dd>
            </div>
          ))}
        </dl>
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={onlyDifferent}
            onChange={(e) => setOnlyDifferent(e.target.checked)}
          />
          only differences
        </label>
        <button className="btn" onClick={onSwap}>
          Swap
        </button>
        <button className="btn" onClick={onEnd}>
          End
        </button>
      </div>
      {pairs ? (
        <>
          <p role="status" className="border-b border-rule px-4 py-1 text-soft">
            {differing === 0
              ? `All ${count(pairs.rows.length)} rows are the same`
              : `${count(differing)} of ${count(pairs.rows.length)} rows differ`}
          </p>
          <Pairs {...{ left, right, formats }} rows={shown} width={pairs.width} measures={pairs.measures} />
        </>
      ) : (
        <p className="p-4">
          The two questions are by different attributes: choose the same ones for both, or end the comparison.
        </p>
      )}
    </section>
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
  const [l, r] = [totals(left.answer), totals(right.answer)];
  return (
    <div
      ref={box}
      role="table"
      aria-label="Two answers row by row"
      className="min-h-0 flex-1 overflow-auto"
      tabIndex={0}
    >
      <div
        role="row"
        className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf text-[12px] font-semibold"
        style={{ gridTemplateColumns: widths, minWidth }}
      >
        {left.answer.columns.slice(0, width).map((c) => (
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
      <div role="rowgroup" style={{ height: virtual.getTotalSize(), position: 'relative', minWidth }}>
        {virtual.getVirtualItems().map(({ index, start, key }) => {
          const row = rows[index]!;
          const values = cellsOf(
            row.left === undefined ? undefined : left.answer.rows[row.left],
            row.right === undefined ? undefined : right.answer.rows[row.right],
          );
          return (
            <div
              key={key}
              role="row"
              className={`absolute left-0 grid w-full border-b border-rule ${row.differs ? 'font-semibold' : ''}`}
              style={{ gridTemplateColumns: widths, height: ROW, transform: `translateY(${start}px)` }}
            >
              {row.members.map((member, i) => (
                <div key={i} role="cell" className="truncate px-3 leading-[24px]">
                  {memberText(member, left.answer.columns[i]!.type)}
                </div>
              ))}
              {values.map((text, i) => (
                <div key={i} role="cell" className="num truncate px-3 leading-[24px]" title={text}>
                  {text}
                </div>
              ))}
            </div>
          );
        })}
      </div>
      {l && r && width > 0 && (
        <div
          role="row"
          className="sticky bottom-0 grid border-t border-rule-strong bg-leaf font-semibold"
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
