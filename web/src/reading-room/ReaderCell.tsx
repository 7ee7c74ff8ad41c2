import { X } from 'lucide-react';
import type { QueryState } from '@crease/contract';
import type { AskedCell, Query } from '@crease/core/model';
import { IconButton } from '../parts/IconButton.tsx';
import { formatValue, memberText } from '../parts/format.ts';
import { useModel } from '../state/model.tsx';
import { useSaid } from '../stages/trial/said.ts';
import type { ChosenCell } from '../stages/trial/CellEvidence.tsx';
import { cellOf } from '../stages/trial/RowsView.tsx';

/** The number that was chosen: what it is, what its measure says of itself, and the way to its rows. */
export function ReaderCell({
  cell,
  query: asked,
  answer: given,
  onRows,
  onClose,
}: {
  cell: ChosenCell;
  query: Query;
  answer: QueryState;
  onRows: (cell: AskedCell, query: Query) => void;
  onClose: () => void;
}) {
  const { names } = useModel();
  const said = useSaid();
  const query = cell.of?.query ?? asked;
  const answer = cell.of?.answer ?? given;
  const column = answer.columns[cell.column];
  if (column?.kind !== 'measure') return null;
  const measure = names.measure(column.name);
  const { subtotal } = cell;
  const one: AskedCell = subtotal
    ? { measure: column.name, by: [...subtotal.by], across: [...subtotal.across] }
    : cellOf(answer, query, cell.row, cell.column);
  const byCount = answer.columns.filter((c) => c.kind !== 'measure').length;
  const value =
    subtotal?.value ??
    (cell.row < 0 ? answer.totals?.[cell.column - byCount] : answer.rows[cell.row]?.[cell.column]);
  const items = [...(query.by ?? []), ...(query.across ?? [])];
  const members = cell.row < 0 || subtotal ? [] : (answer.rows[cell.row]?.slice(0, byCount) ?? []);
  return (
    <aside
      aria-label="The chosen number"
      className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-t border-rule-strong bg-raised px-4 py-2"
    >
      <b className="num text-[16px]">{formatValue(value ?? null, column.type, measure?.format) || 'null'}</b>
      <span>
        {said.measure(column.name)}
        {members.length > 0 &&
          ` · ${members.map((m, i) => `${items[i] ? said.item(items[i]) : ''} ${memberText(m, answer.columns[i]!.type)}`).join(' · ')}`}
      </span>
      {measure?.description !== undefined && <span className="text-soft">{measure.description}</span>}
      {measure !== undefined && measure.formula !== '' && <code className="code">{measure.formula}</code>}
      <span className="flex-1" />
      <button className="btn btn-act" onClick={() => onRows(one, query)}>
        Rows behind it
      </button>
      <IconButton label="Close" onClick={onClose}>
        <X size={14} aria-hidden />
      </IconButton>
    </aside>
  );
}
