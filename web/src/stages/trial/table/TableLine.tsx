import type { QueryState } from '@crease/contract';
import type { AskedItem, ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { formatValue, isNumeric, memberText } from '../../../parts/format.ts';
import type { ChosenCell } from '../CellEvidence.tsx';
import { itemText } from '../attributes.ts';
import { useModel } from '../../../state/model.tsx';
import type { OpenedRow } from './drill.ts';
import { mayOpen } from './drill.ts';
import { GoalMark } from './GoalMark.tsx';
import type { Line } from './lines.ts';
import { OpenRow } from './OpenRow.tsx';

export interface LineProps {
  readonly answer: QueryState;
  readonly byCount: number;
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly chosen: ChosenCell | undefined;
  readonly onCell: (cell: ChosenCell) => void;
  readonly onOpen: (row: OpenedRow, item: AskedItem) => void;
  readonly onClose: (row: OpenedRow) => void;
}

const INDENT = 16;

/** A member as text; what is none stands in italics. */
function Member({ value, type }: { value: AnswerMember; type: string }) {
  return value === null || typeof value === 'object' ? (
    <i className="text-soft">{memberText(value, type)}</i>
  ) : (
    <>{formatValue(value, type)}</>
  );
}

/** The cells of a row of the answer, or of a row below an opened one. */
export function RowCells({ line, ...props }: LineProps & { line: Extract<Line, { kind: 'row' }> }) {
  const { byCount } = props;
  const { row, depth, of } = line;
  const answer = of?.answer ?? props.answer;
  const values = answer.rows[line.at]!;
  const width = row.items.length;
  return (
    <>
      {Array.from({ length: byCount }, (_, i) =>
        i === byCount - 1 ? (
          <LastMember
            key={i}
            {...props}
            line={line}
            value={values[width - 1]!}
            type={answer.columns[width - 1]!.type}
          />
        ) : (
          <div
            key={i}
            role="cell"
            className={`min-w-0 truncate ${isNumeric(answer.columns[i]!.type) ? 'num' : ''}`}
          >
            {depth === 0 && (
              <span className="block truncate px-3 leading-[24px]">
                <Member value={values[i]!} type={answer.columns[i]!.type} />
              </span>
            )}
          </div>
        ),
      )}
      {values.slice(width).map((value, k) => (
        <ValueCell key={k} {...props} line={line} value={value} place={k} />
      ))}
    </>
  );
}

/** What an item is called without where it is from. */
const shortName = (item: AskedItem): string => {
  if (typeof item === 'string') return item.split('.').at(-1)!;
  if ('formula' in item) return item.name;
  return 'level' in item ? item.level : `depth ${item.depth}`;
};

/** The member that a row can be opened at. */
function LastMember({
  line,
  value,
  type,
  onOpen,
  onClose,
}: LineProps & { line: Extract<Line, { kind: 'row' }>; value: AnswerMember; type: string }) {
  const { model } = useModel();
  const { row, depth, below } = line;
  const name =
    value === null || typeof value === 'object' ? memberText(value, type) : formatValue(value, type);
  return (
    <div role="cell" className="flex min-w-0 items-center pr-3" style={{ paddingLeft: 4 + depth * INDENT }}>
      {mayOpen(value) ? (
        <OpenRow
          items={row.items}
          name={name}
          isOpen={below !== undefined}
          onOpen={(item) => onOpen(row, item)}
          onClose={() => onClose(row)}
        />
      ) : (
        <span className="w-[16px] flex-none" />
      )}
      <span className="truncate leading-[24px]" title={name}>
        <Member value={value} type={type} />
      </span>
      {below && (
        <span className="flex-none pl-2 text-[11px] text-soft" title={itemText(below.item, model)}>
          by {shortName(below.item)}
        </span>
      )}
    </div>
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
