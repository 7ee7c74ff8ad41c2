import { useMemo, useRef } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { QueryState } from '@crease/contract';
import { FormulaChecker } from '@crease/core/formula';
import type { AskedItem, Query, ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { useModel } from '../../state/model.tsx';
import { useTold } from '../../state/told.ts';
import { formatValue, isNumeric, memberText } from '../../parts/format.ts';
import { GoalMark } from './GoalMark.tsx';
import type { ChosenCell } from './CellEvidence.tsx';
import type { NotAdded } from './notAdded.ts';
import { notAdded } from './notAdded.ts';

interface Props {
  readonly answer: QueryState;
  readonly query: Query;
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly chosen: ChosenCell | undefined;
  readonly onCell: (cell: ChosenCell) => void;
  readonly onSort: (sort: NonNullable<Query['sort']>) => void;
}

const ROW = 25;
/** Stands for the row of totals. */
const TOTALS = -1;

/** A short name, or its title, with where it comes from above it. */
function ColumnHead({ item, name }: { item: AskedItem; name: string }) {
  const told = useTold();
  const column = typeof item === 'string' ? told.column(item) : undefined;
  const [above, short] =
    typeof item === 'string'
      ? [name.split('.').slice(0, -1).join('.'), column?.title ?? name.split('.').at(-1)!]
      : 'formula' in item
        ? [item.of, item.name]
        : [item.hierarchy, 'level' in item ? item.level : `Depth ${item.depth}`];
  return (
    <span className="block truncate" title={[name, column?.description].filter(Boolean).join(': ')}>
      <span className="block truncate text-[11px] font-normal text-soft">{above}</span>
      {short}
    </span>
  );
}

/** The whole value of a total, and why it is not the sum of its rows. */
const totalTitle = (total: unknown, sum: NotAdded | undefined): string =>
  sum
    ? `${String(total ?? '')}; the rows add up to ${Math.round(sum.sum * 1e6) / 1e6}: ${sum.why}`
    : String(total ?? '');

/**
 * The answer as a table. Cells of a measure that does not apply are hatched; rows without a member stand
 * last, by why they have none.
 */
export function AnswerTable({ answer, query, formats, chosen, onCell, onSort }: Props) {
  const told = useTold();
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: answer.rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  const { model, measures } = useModel();
  const sums = useMemo(
    () =>
      answer.totals ? notAdded(answer, query, new FormulaChecker({ ...model, measures: [...measures] })) : [],
    [answer, query, model, measures],
  );
  const items = [...(query.by ?? []), ...(query.across ?? [])];
  const byCount = answer.columns.length - query.measures.length;
  // A state stands beside its number and must not cut it.
  const least = (i: number) => (answer.goals?.columns[i] ? 150 : 96);
  const columns = [
    `repeat(${byCount}, minmax(120px, 1.6fr))`,
    ...query.measures.map((_, i) => `minmax(${least(i)}px, 1fr)`),
  ].join(' ');
  const doesNotApply = new Map(answer.unreached.map(([measure, column]) => [measure, column]));
  const sorted = query.sort?.[0];
  const nextSort = (name: string) =>
    onSort(
      typeof sorted?.of === 'string' && sorted.of === name && sorted.order === 'descending'
        ? [{ of: name, order: 'ascending' }]
        : [{ of: name, order: 'descending' }],
    );
  const cell = (value: AnswerMember, i: number) => {
    const column = answer.columns[i]!;
    if (i < byCount)
      return value === null || typeof value === 'object' ? (
        <i className="text-soft">{memberText(value, column.type)}</i>
      ) : (
        formatValue(value, column.type)
      );
    return formatValue(value, column.type, formats[column.name]);
  };
  return (
    <div
      className="flex min-h-0 flex-1 flex-col"
      role="table"
      aria-label="The answer"
      aria-rowcount={answer.rows.length}
    >
      <div ref={box} className="min-h-0 overflow-auto [scrollbar-gutter:stable]" role="presentation">
        <div
          className="sticky top-0 z-10 grid border-b border-rule-strong bg-leaf font-semibold"
          style={{ gridTemplateColumns: columns }}
          role="row"
        >
          {answer.columns.map((c, i) => (
            <div
              key={c.name}
              role="columnheader"
              className={`flex min-w-0 flex-col justify-end px-3 py-[4px] text-[12px] ${i >= byCount ? 'text-right' : ''}`}
              aria-sort={
                sorted?.of === c.name ? (sorted.order === 'descending' ? 'descending' : 'ascending') : 'none'
              }
            >
              {i >= byCount ? (
                <button
                  className="max-w-full hover:underline"
                  style={{ textAlign: 'inherit' }}
                  onClick={() => nextSort(c.name)}
                  title={[c.name, told.measure(c.name)?.description, 'Sort by it']
                    .filter(Boolean)
                    .join(' · ')}
                >
                  {told.measure(c.name)?.title ?? c.name}{' '}
                  {sorted?.of === c.name ? (sorted.order === 'descending' ? '↓' : '↑') : ''}
                </button>
              ) : (
                <ColumnHead item={items[i]!} name={c.name} />
              )}
              {answer.goals?.columns[i - byCount] && (
                <span className="block truncate text-[11px] font-normal text-soft">
                  goal: {answer.goals.columns[i - byCount]!.goal}
                </span>
              )}
              {doesNotApply.has(c.name) && (
                <span className="block truncate text-[11px] font-normal text-soft">
                  does not apply by {doesNotApply.get(c.name)}
                </span>
              )}
            </div>
          ))}
        </div>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }} role="rowgroup">
          {rows.getVirtualItems().map((item) => (
            <div
              key={item.key}
              role="row"
              className="absolute left-0 grid w-full border-b border-rule hover:bg-raised"
              style={{ gridTemplateColumns: columns, height: ROW, transform: `translateY(${item.start}px)` }}
            >
              {answer.rows[item.index]!.map((value, i) => {
                const name = answer.columns[i]!.name;
                const out = i >= byCount && doesNotApply.has(name);
                const here = chosen?.row === item.index && chosen.column === i;
                return (
                  <div
                    key={i}
                    role="cell"
                    className={`min-w-0 truncate ${i >= byCount || isNumeric(answer.columns[i]!.type) ? 'num' : ''} ${out ? 'hatched' : ''}`}
                  >
                    {i >= byCount ? (
                      <button
                        className={`num h-full w-full truncate px-3 ${here ? 'outline outline-2 -outline-offset-2 outline-ink' : ''}`}
                        onClick={() => onCell({ row: item.index, column: i })}
                        title={
                          out
                            ? `${name} does not apply: ${doesNotApply.get(name)} does not reach it`
                            : String(value ?? '')
                        }
                        aria-label={out ? `${name} does not apply` : undefined}
                      >
                        <GoalMark goals={answer.goals} row={item.index} measure={i - byCount} />
                        {out ? (formats[name]?.doesNotApply ?? '') : cell(value, i)}
                      </button>
                    ) : (
                      <span className="block truncate px-3 leading-[24px]">{cell(value, i)}</span>
                    )}
                  </div>
                );
              })}
            </div>
          ))}
        </div>
        {answer.rows.length === 0 && <p className="p-4 text-soft">No rows under these conditions.</p>}
      </div>
      {answer.totals && byCount > 0 && (
        <div
          className="grid flex-none overflow-hidden border-t border-rule-strong bg-leaf font-semibold [scrollbar-gutter:stable]"
          style={{ gridTemplateColumns: columns }}
          role="row"
        >
          {answer.columns.map((c, i) => (
            <div
              key={c.name}
              role="cell"
              className={`whitespace-nowrap py-[2px] pl-1 pr-3 ${i >= byCount ? 'num' : ''}`}
            >
              {i === 0 ? (
                <span
                  className="block pl-2 leading-[24px]"
                  title="Evaluated in its own context, not added up from the rows"
                >
                  total
                </span>
              ) : i < byCount ? (
                ''
              ) : (
                <button
                  className={`num min-h-[24px] w-full truncate ${chosen?.row === TOTALS && chosen.column === i ? 'outline outline-2 outline-ink' : ''}`}
                  onClick={() => onCell({ row: TOTALS, column: i })}
                  title={totalTitle(answer.totals![i - byCount], sums[i - byCount])}
                >
                  {sums[i - byCount] && (
                    <span data-mark className="float-left pr-1 text-[11px] font-normal text-soft">
                      <span aria-hidden>≠ Σ</span>
                      <span className="sr-only">not the sum</span>
                    </span>
                  )}
                  <GoalMark goals={answer.goals} row={TOTALS} measure={i - byCount} />
                  {formatValue(answer.totals![i - byCount] ?? null, c.type, formats[c.name])}
                </button>
              )}
            </div>
          ))}
        </div>
      )}
    </div>
  );
}
