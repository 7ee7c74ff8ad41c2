import type { QueryState } from '@crease/contract';
import type { ValueFormat } from '@crease/core/model';
import { formatValue } from '../../../parts/format.ts';
import type { ChosenCell } from '../CellEvidence.tsx';
import { GoalMark } from './GoalMark.tsx';
import type { NotAdded } from './notAdded.ts';

/** Stands for the row of totals. */
const TOTALS = -1;

/** The whole value of a total, and why it is not the sum of its rows. */
const totalTitle = (total: unknown, sum: NotAdded | undefined): string =>
  sum
    ? `${String(total ?? '')}; the rows add up to ${Math.round(sum.sum * 1e6) / 1e6}: ${sum.why}`
    : String(total ?? '');

/** The totals below the answer; one that is not the sum of its rows says so. */
export function TotalsLine({
  answer,
  byCount,
  formats,
  sums,
  chosen,
  onCell,
  columns,
}: {
  answer: QueryState;
  byCount: number;
  formats: Readonly<Record<string, ValueFormat>>;
  sums: readonly (NotAdded | undefined)[];
  chosen: ChosenCell | undefined;
  onCell: (cell: ChosenCell) => void;
  columns: string;
}) {
  return (
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
              className={`num min-h-[24px] w-full truncate ${chosen?.row === TOTALS && !chosen.subtotal && chosen.column === i ? 'outline outline-2 outline-ink' : ''}`}
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
  );
}
