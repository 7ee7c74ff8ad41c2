import type { QueryState } from '@crease/contract';
import { api } from '@crease/contract';
import { columnPath } from '@crease/core/formula';
import type { AskedCell, ByItem, MemberOfCell, Query } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { useAsked } from '../../state/useAsked.ts';
import { formatValue, memberText } from '../../parts/format.ts';
import { many } from '../../parts/text.ts';
import { itemText } from './attributes.ts';
import { cellOf } from './RowsView.tsx';
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
  const { id, state, model, names } = useModel();
  const [, select] = useSelection();
  // The row of totals stands before the first.
  const row = cell.row < 0 ? totalsOf(answer) : answer.rows[cell.row];
  const column = answer.columns[cell.column];
  const by = query.by ?? [];
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
  // Parts on the spot are not drilled into.
  const plain = by.filter((item): item is ByItem => typeof item === 'string' || !('formula' in item));
  if (!row || !column) return null;
  const measure = names.measure(column.name);
  const key = JSON.stringify(asked.cell);
  const without = together.filter((one) => JSON.stringify(one) !== key);
  const isTogether = without.length < together.length;
  const next = nextLevel(plain, model.hierarchies ?? []);
  const deeper = nextDepth(plain);
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
              {isTogether ? 'Take it out of the cells put together' : 'Put it together with others'}
            </button>
          )}
        </p>
      )}
      {together.length > 0 && (
        <p className="mt-2" role="status">
          <button className="btn" onClick={() => onRows(together)}>
            Rows behind {many(together.length, 'cell')}
          </button>{' '}
          <button className="btn btn-bare" onClick={() => onTogether([])}>
            Clear
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
      {deeper && isMember(row[deeper.at]!) && (
        <button
          className="btn mt-2"
          onClick={() =>
            onDrill({
              ...query,
              by: [...by.slice(0, deeper.at + 1), deeper.item, ...by.slice(deeper.at + 1)],
              sort: [],
            })
          }
        >
          Drill down to {itemText(deeper.item, model)}
        </button>
      )}
      {next && isMember(row[next.at]!) && (
        <button
          className="btn mt-2"
          onClick={() =>
            onDrill({
              ...query,
              by: [...by.slice(0, next.at), next.item, ...by.slice(next.at + 1)],
              filters: [...(query.filters ?? []), { column: next.column, in: [row[next.at] as string] }],
              sort: [],
            })
          }
        >
          Drill down from {memberText(row[next.at]!, answer.columns[next.at]!.type)} to {next.item.level}
        </button>
      )}
    </section>
  );
}

/** The totals as a row of the answer: without members. */
const totalsOf = ({ columns, totals }: QueryState): readonly AnswerMember[] | undefined =>
  totals && [...columns.filter((c) => c.kind !== 'measure').map(() => null), ...totals];

const isMember = (member: AnswerMember): boolean => member !== null && typeof member !== 'object';

/** The depth below the deepest that the question has of a parent-child hierarchy, to stand beside it. */
function nextDepth(
  by: readonly ByItem[],
): { at: number; item: { hierarchy: string; depth: number } } | undefined {
  const at = by.findLastIndex((item) => typeof item !== 'string' && 'depth' in item);
  const item = by[at];
  return item && typeof item !== 'string' && 'depth' in item
    ? { at, item: { hierarchy: item.hierarchy, depth: item.depth + 1 } }
    : undefined;
}

/** The level below one that the question has, so that a member can be opened. */
function nextLevel(
  by: readonly ByItem[],
  hierarchies: readonly {
    name: string;
    table: string;
    levels?: { name: string; column: string }[] | undefined;
  }[],
): { at: number; item: { hierarchy: string; level: string }; column: string } | undefined {
  for (const [at, item] of [...by.entries()].reverse()) {
    for (const h of hierarchies) {
      const levels = h.levels ?? [];
      const path = columnPath(h.table, h.name);
      const columnOf = (c: string) => (c.includes('.') ? c : columnPath(h.table, c));
      const i = levels.findIndex((l) =>
        typeof item === 'string'
          ? columnOf(l.column) === item
          : 'level' in item && item.hierarchy === path && item.level === l.name,
      );
      const below = levels[i + 1];
      const has =
        below &&
        by.some(
          (b) => typeof b !== 'string' && 'level' in b && b.hierarchy === path && b.level === below.name,
        );
      if (i >= 0 && below && !has)
        return { at, item: { hierarchy: path, level: below.name }, column: columnOf(levels[i]!.column) };
    }
  }
  return undefined;
}
