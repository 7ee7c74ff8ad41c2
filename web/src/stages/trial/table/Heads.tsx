import type { QueryState } from '@crease/contract';
import type { AskedItem, Query } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import { useTold } from '../../../state/told.ts';
import { useSaid } from '../said.ts';

interface Props {
  readonly answer: QueryState;
  readonly query: Query;
  readonly byCount: number;
  readonly onSort: (sort: NonNullable<Query['sort']>) => void;
}

/** Headings: what each column is, sorted by a press. */
export function Heads({ answer, query, byCount, onSort }: Props) {
  const told = useTold();
  const items = [...(query.by ?? []), ...(query.across ?? [])];
  const doesNotApply = new Map(answer.unreached.map(([measure, column]) => [measure, column]));
  const sorted = query.sort?.[0];
  const orderOf = (of: AskedItem | string) =>
    sorted !== undefined && JSON.stringify(sorted.of) === JSON.stringify(of)
      ? (sorted.order ?? 'ascending')
      : undefined;
  const next = (of: string | Exclude<AskedItem, { formula: string }>, first: 'ascending' | 'descending') => {
    const other = first === 'ascending' ? 'descending' : 'ascending';
    onSort([{ of, order: orderOf(of) === first ? other : first }]);
  };
  const arrow = (of: AskedItem | string) => {
    const order = orderOf(of);
    return order === undefined ? '' : order === 'descending' ? '↓' : '↑';
  };
  return answer.columns.map((c, i) => {
    const item = items[i];
    const of = i >= byCount || item === undefined ? c.name : sortName(item);
    return (
      <div
        key={c.name}
        role="columnheader"
        className={`flex min-w-0 flex-col justify-end px-3 py-[4px] text-[12px] ${i >= byCount ? 'text-right' : ''}`}
        aria-sort={orderOf(of) ?? 'none'}
      >
        {i >= byCount ? (
          <button
            className="max-w-full hover:underline"
            style={{ textAlign: 'inherit' }}
            onClick={() => next(c.name, 'descending')}
            title={[c.name, told.measure(c.name)?.description, 'Sort by it'].filter(Boolean).join(' · ')}
          >
            {told.measure(c.name)?.title ?? c.name} {arrow(c.name)}
          </button>
        ) : (
          <button
            className="max-w-full text-left hover:underline"
            onClick={() => next(of, 'ascending')}
            title={`${c.name} · Sort by it`}
          >
            <ColumnHead item={items[i]!} name={c.name} arrow={arrow(of)} />
          </button>
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
    );
  });
}

/** What is on the spot is sorted by its name. */
const sortName = (item: AskedItem): string | Exclude<AskedItem, { formula: string }> =>
  typeof item !== 'string' && 'formula' in item ? item.name : item;

/** A short name, or its title, with where it comes from above it. */
function ColumnHead({ item, name, arrow }: { item: AskedItem; name: string; arrow: string }) {
  const told = useTold();
  const { isReader } = useModel();
  const said = useSaid();
  const column = typeof item === 'string' ? told.column(item) : undefined;
  const [above, short] =
    typeof item === 'string'
      ? [said.table(name.split('.').slice(0, -1).join('.')), column?.title ?? name.split('.').at(-1)!]
      : 'formula' in item
        ? [item.of, item.name]
        : [
            isReader ? said.hierarchy(item.hierarchy) : item.hierarchy,
            'level' in item ? item.level : `Depth ${item.depth}`,
          ];
  return (
    <span className="block truncate">
      <span className="block truncate text-[11px] font-normal text-soft">{above}</span>
      {short} {arrow}
    </span>
  );
}
