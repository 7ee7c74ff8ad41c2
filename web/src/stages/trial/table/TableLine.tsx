import type { QueryState } from '@crease/contract';
import type { AskedItem, ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { formatValue } from '../../../parts/format.ts';
import type { ChosenCell } from '../CellEvidence.tsx';
import type { OpenedRow } from './drill.ts';
import { GoalMark } from './GoalMark.tsx';
import type { Line } from './lines.ts';
import { Member, RowMembers } from './RowMembers.tsx';

export interface LineProps {
  readonly answer: QueryState;
  readonly byCount: number;
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly chosen: ChosenCell | undefined;
  readonly onCell: (cell: ChosenCell) => void;
  readonly onOpen: (row: OpenedRow, item: AskedItem) => void;
  readonly onClose: (row: OpenedRow) => void;
}

/** The cells of a row of the answer, or of a row below an opened one. */
export function RowCells({ line, ...props }: LineProps & { line: Extract<Line, { kind: 'row' }> }) {
  const { byCount } = props;
  const { row, of } = line;
  const answer = of?.answer ?? props.answer;
  const values = answer.rows[line.at]!;
  const width = row.items.length;
  return (
    <>
      <RowMembers
        row={row}
        depth={line.depth}
        below={line.below}
        answer={answer}
        byCount={byCount}
        onOpen={props.onOpen}
        onClose={props.onClose}
      />
      {values.slice(width).map((value, k) => (
        <ValueCell key={k} {...props} line={line} value={value} place={k} />
      ))}
    </>
  );
}

function ValueCell({
  line,
  value,
  place,
  answer: whole,
  byCount,
  formats,
  chosen,
  onCell,
}: LineProps & { line: Extract<Line, { kind: 'row' }>; value: AnswerMember; place: number }) {
  const answer = line.of?.answer ?? whole;
  const column = line.row.items.length + place;
  const { name, type } = answer.columns[column]!;
  const by = answer.unreached.find(([measure]) => measure === name)?.[1];
  const isHere = chosen?.row === line.at && chosen.column === column && chosen.of?.answer === line.of?.answer;
  return (
    <div role="cell" className={`num min-w-0 truncate ${by === undefined ? '' : 'hatched'}`}>
      <button
        className={`num h-full w-full truncate px-3 ${isHere ? 'outline outline-2 -outline-offset-2 outline-ink' : ''}`}
        onClick={() => onCell({ row: line.at, column, ...(line.of ? { of: line.of } : {}) })}
        title={by === undefined ? String(value ?? '') : `${name} does not apply: ${by} does not reach it`}
        aria-label={by === undefined ? undefined : `${name} does not apply`}
      >
        {!line.of && <GoalMark goals={whole.goals} row={line.at} measure={column - byCount} />}
        {by === undefined ? formatValue(value, type, formats[name]) : (formats[name]?.doesNotApply ?? '')}
      </button>
    </div>
  );
}

/** The cells of a subtotal: the members that it is of, and a value for all of theirs. */
export function SubtotalCells({
  line,
  answer,
  byCount,
  formats,
  chosen,
  onCell,
}: LineProps & { line: Extract<Line, { kind: 'subtotal' }> }) {
  const { members, named, values } = line;
  return (
    <>
      {Array.from({ length: byCount }, (_, i) => (
        <div key={i} role="cell" className="min-w-0 truncate px-3 leading-[24px]">
          {i < members.length && <Member value={members[i]!} type={answer.columns[i]!.type} />}
          {i === members.length && 'subtotal'}
        </div>
      ))}
      {values.map((value, k) => {
        const { name, type } = answer.columns[byCount + k]!;
        const subtotal = { by: named, across: [], value };
        const isHere =
          chosen?.column === byCount + k && JSON.stringify(chosen.subtotal) === JSON.stringify(subtotal);
        return (
          <div key={k} role="cell" className="num min-w-0 truncate">
            <button
              className={`num h-full w-full truncate px-3 ${isHere ? 'outline outline-2 -outline-offset-2 outline-ink' : ''}`}
              title="Evaluated in its own context, not added up from the rows"
              onClick={() => onCell({ row: -1, column: byCount + k, subtotal })}
            >
              {formatValue(value, type, formats[name])}
            </button>
          </div>
        );
      })}
    </>
  );
}
