import { originsOf } from '@crease/core/shape';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { sourceName } from '@crease/core/sources';

/** Further back than this a column is not followed: who is deeper has made a circle. */
const DEEPEST = 12;

/** Where a column's values come from, hop by hop, back to the sources. */
export function Origins({ column }: { column: string }) {
  const { names } = useModel();
  const found = names.path(column);
  if (!found) return null;
  return (
    <section aria-label="Where the column comes from" className="border-b border-rule px-4 py-2">
      <p className="eyebrow">comes from</p>
      <Hops table={found.table.name} column={found.column.name} depth={0} />
    </section>
  );
}

function Hops({ table, column, depth }: { table: string; column: string; depth: number }) {
  const { model, names } = useModel();
  const [, select] = useSelection();
  const origins = originsOf(model, table, column);
  const home = names.table(table);
  if (origins.length === 0) {
    const own = home?.columns.find((c) => c.name === column);
    const source = home && sourceName(home);
    return (
      <p className="text-soft">
        {source ?? (own?.formula !== undefined ? 'a formula without columns' : 'no source')}
        {own?.sourceName && own.sourceName !== own.name && source ? ` as ${own.sourceName}` : ''}
      </p>
    );
  }
  return (
    <ul className={depth > 0 ? 'border-l border-rule pl-3' : ''}>
      {origins.map((o) => (
        <li key={`${o.table}.${o.column ?? ''}`}>
          <button
            className="underline decoration-rule-strong underline-offset-2"
            onClick={() =>
              select(
                o.column === undefined
                  ? { kind: 'table', name: o.table }
                  : { kind: 'column', name: `${o.table}.${o.column}` },
              )
            }
          >
            {o.column === undefined ? `rows of ${o.table}` : `${o.table}.${o.column}`}
          </button>
          {o.by !== 'unchanged' && <span className="code ml-2 break-words text-soft">{o.by}</span>}
          {o.column !== undefined && depth < DEEPEST && (
            <Hops table={o.table} column={o.column} depth={depth + 1} />
          )}
        </li>
      ))}
    </ul>
  );
}
