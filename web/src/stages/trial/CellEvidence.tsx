import type { QueryState } from '@crease/contract';
import { api } from '@crease/contract';
import type { AskedCell, MemberOfCell, Query } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { useAsked } from '../../state/useAsked.ts';
import { formatValue, memberText } from '../../parts/format.ts';
import { many } from '../../parts/text.ts';
import { isOffered, itemText } from './attributes.ts';
import { cellOf } from './RowsView.tsx';
import { drilledDown } from './table/drill.ts';
import { Steps, TraceParts } from './TraceParts.tsx';

export interface ChosenCell {
  /** Of the answer; -1 for its totals, or a subtotal. */
  readonly row: number;
  readonly column: number;
  /** The question and answer that the cell is of, where it stands below an opened row. */
  readonly of?: { readonly query: Query; readonly answer: QueryState };
  /** Members of a prefix of `by` and of `across`, and the value for all of theirs. */
  readonly subtotal?: {
    readonly by: readonly MemberOfCell[];
    readonly across: readonly MemberOfCell[];
    readonly value: AnswerMember;
  };
}

/** Why a number is what it is, as the evaluator tells it. */
export function CellEvidence({
  cell,
  query,
  answer,
  onDrill,
  onRows,
  together,
  onTogether,
}: {
  cell: ChosenCell;
  query: Query;
  answer: QueryState;
  onDrill: (query: Query) => void;
  /** Shows the rows behind cells. */
  onRows: (cells: readonly AskedCell[]) => void;
  /** Cells of the same question that are put together, and how they change. */
  together: readonly AskedCell[];
  onTogether: (cells: readonly AskedCell[]) => void;
}) {
  const { id, state, whole, audience, names } = useModel();
  const [, select] = useSelection();
  // The row of totals stands before the first.
  const row = cell.row < 0 ? totalsOf(answer) : answer.rows[cell.row];
  const column = answer.columns[cell.column];
  const { subtotal } = cell;
  const asked = {
    query,
    cell: subtotal
      ? { measure: column?.name ?? '', by: [...subtotal.by], across: [...subtotal.across] }
      : cellOf(answer, query, cell.row, cell.column),
  };
  const {
    answer: trace,
    error,
    isCurrent,
  } = useAsked(
    row && column?.kind === 'measure' ? ['trace', id, state.revision.id] : undefined,
    asked,
    (question, signal) => ask(api.questions.trace, { id }, question, signal),
  );
  if (!row || !column) return null;
  const measure = names.measure(column.name);
  const key = JSON.stringify(asked.cell);
  const without = together.filter((one) => JSON.stringify(one) !== key);
  const isTogether = without.length < together.length;
  const down = drilledDown(query, row, whole);
  return (
    <section aria-label="Explanation of the cell" className="border-b border-rule px-4 py-3">
      <h2 className="text-[15px]">
        {column.name}:{' '}
        {answer.unreached.some(([m]) => m === column.name)
          ? 'does not apply'
          : formatValue(subtotal ? subtotal.value : row[cell.column]!, column.type, measure?.format) ||
            'null'}
      </h2>
      {measure && (
        <p className="mt-1">
          <button
            className="code text-left underline decoration-rule-strong"
            onClick={() => select({ kind: 'measure', name: measure.name })}
          >
            {measure.formula}
          </button>
        </p>
      )}
      {column.kind === 'measure' && (
        <p className="mt-2">
          <button className="btn" onClick={() => onRows([asked.cell])}>
            Rows behind it
          </button>{' '}
          {/* Rows of several measures do not add up to one number. */}
          {together.every((one) => one.measure === asked.cell.measure) && (
            <button
              className="btn btn-bare"
              onClick={() => onTogether(isTogether ? without : [...together, asked.cell])}
            >
              {isTogether ? 'Remove from the selection' : 'Add to a selection'}
            </button>
          )}
        </p>
      )}
      {together.length > 0 && (
        <p className="mt-2" role="status">
          <button className="btn" onClick={() => onRows(together)}>
            Rows behind {many(together.length, 'selected cell')}
          </button>{' '}
          <button className="btn btn-bare" onClick={() => onTogether([])}>
            Clear the selection
          </button>
        </p>
      )}
      {error && <p className="mt-2 text-vermilion">{error.message}</p>}
      {trace && isCurrent ? (
        <>
          <TraceParts parts={trace.parts} />
          {trace.steps && <Steps of={column.name} steps={trace.steps} />}
        </>
      ) : (
        !error && column.kind === 'measure' && <p className="mt-2 text-soft">working …</p>
      )}
      {down && isOffered(down.item, whole, audience) && (
        <button className="btn mt-2" onClick={() => onDrill(down.query)}>
          Drill down from {memberText(row[down.at]!, answer.columns[down.at]!.type)} to{' '}
          {itemText(down.item, whole)}
        </button>
      )}
    </section>
  );
}

/** The totals as a row of the answer, without members; a subtotal below an opened row has none beside it. */
const totalsOf = ({ columns, totals = [] }: QueryState): readonly AnswerMember[] => [
  ...columns.filter((c) => c.kind !== 'measure').map(() => null),
  ...totals,
];
