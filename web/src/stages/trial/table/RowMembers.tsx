import type { QueryState } from '@crease/contract';
import type { AskedItem } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { formatValue, isNumeric, memberText } from '../../../parts/format.ts';
import { useModel } from '../../../state/model.tsx';
import { itemText } from '../attributes.ts';
import type { OpenedRow } from './drill.ts';
import { mayOpen } from './drill.ts';
import type { Below } from './lines.ts';
import { OpenRow } from './OpenRow.tsx';

export interface RowMembersProps {
  readonly row: OpenedRow;
  /** How many opened rows it stands below. */
  readonly depth: number;
  readonly below?: Below | undefined;
  /** The answer that the row is of. */
  readonly answer: Pick<QueryState, 'columns'>;
  /** How many columns of members the table has. */
  readonly byCount: number;
  readonly onOpen: (row: OpenedRow, item: AskedItem) => void;
  readonly onClose: (row: OpenedRow) => void;
}

const INDENT = 16;

/** A member as text; what is none stands in italics. */
export function Member({ value, type }: { value: AnswerMember; type: string }) {
  return value === null || typeof value === 'object' ? (
    <i className="text-soft">{memberText(value, type)}</i>
  ) : (
    <>{formatValue(value, type)}</>
  );
}

/** The members of a row; one below an opened row shows its last alone, in the last column. */
export function RowMembers(props: RowMembersProps) {
  const { row, depth, answer, byCount } = props;
  return Array.from({ length: byCount }, (_, i) =>
    i === byCount - 1 ? (
      <LastMember key={i} {...props} />
    ) : (
      <div
        key={i}
        role="cell"
        className={`min-w-0 truncate ${isNumeric(answer.columns[i]!.type) ? 'num' : ''}`}
      >
        {depth === 0 && (
          <span className="block truncate px-3 leading-[24px]">
            <Member value={row.members[i]!} type={answer.columns[i]!.type} />
          </span>
        )}
      </div>
    ),
  );
}

/** What an item is called without where it is from. */
const shortName = (item: AskedItem): string => {
  if (typeof item === 'string') return item.split('.').at(-1)!;
  if ('formula' in item) return item.name;
  return 'level' in item ? item.level : `depth ${item.depth}`;
};

/** The member that a row can be opened at. */
function LastMember({ row, depth, below, answer, onOpen, onClose }: RowMembersProps) {
  const { model } = useModel();
  const at = row.items.length - 1;
  const [value, { type }] = [row.members[at]!, answer.columns[at]!];
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
