import type { Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { RoleMark } from '../../parts/Marks.tsx';
import { bytes, count, many, moment, percent } from '../../parts/text.ts';
import { sourceName } from '@crease/core/sources';
import { connectionOf, isDerived, isLoaded, isPassedThrough, typedMembersOf } from '@crease/core/model';

/** The tables of the model: where their rows come from, how many there are, what they take. */
export function StoredTables({
  onEdit,
  onDraw,
}: {
  onEdit: (table: string) => void;
  onDraw: (table: Table) => void;
}) {
  const { model, state, edit } = useModel();
  const [selection, select] = useSelection();
  const hold = ({ name, held }: Table) =>
    edit(
      [{ do: 'set-table', table: name, change: { held: held === false } }],
      held === false ? `hold ${name}` : `pass ${name} through`,
    );
  const total = state.stored.reduce((sum, s) => sum + s.bytes, 0);
  if (model.tables.length === 0) return null;
  return (
    <table className="grid-plain" aria-label="Tables of the model">
      <thead>
        <tr>
          <th scope="col">table</th>
          <th scope="col">source</th>
          <th scope="col" className="num">
            columns
          </th>
          <th scope="col" className="num">
            rows
          </th>
          <th scope="col" className="num">
            stored
          </th>
          <th scope="col" className="num">
            share
          </th>
          <th scope="col">loaded</th>
        </tr>
      </thead>
      <tbody>
        {model.tables.map((table) => {
          const isPassed = isPassedThrough(table);
          const stored = isPassed ? undefined : state.stored.find((s) => s.name === table.name);
          const source = sourceName(table) ?? (isDerived(table) ? 'derived by steps' : 'none');
          return (
            <tr
              key={table.name}
              className={selection?.kind === 'table' && selection.name === table.name ? 'bg-raised' : ''}
            >
              <td>
                <button
                  className="flex items-center gap-2 font-semibold hover:underline"
                  onClick={() => select({ kind: 'table', name: table.name })}
                >
                  <RoleMark role={table.role} /> {table.name}
                </button>
              </td>
              <td className="text-soft">
                {source}
                {typedMembersOf(table) && (
                  <button
                    className="btn btn-bare ml-2 h-[24px]"
                    onClick={() => onEdit(table.name)}
                    aria-label={`Edit the rows of ${table.name}`}
                  >
                    change
                  </button>
                )}
                {connectionOf(table) && (
                  <>
                    {table.held !== false && (
                      <button
                        className="btn btn-bare ml-2 h-[24px]"
                        onClick={() => onDraw(table)}
                        aria-label={`Reload ${table.name}`}
                      >
                        {stored ? 'Reload' : 'Load'}
                      </button>
                    )}
                    <button
                      className="btn btn-bare ml-2 h-[24px]"
                      onClick={() => void hold(table)}
                      aria-label={`${table.held === false ? 'Hold' : 'Pass through'} ${table.name}`}
                      title={
                        table.held === false
                          ? 'Rows are to be held here, encoded: load them next'
                          : 'Rows stay in the database, where questions and claims are asked'
                      }
                    >
                      {table.held === false ? 'Hold' : 'Pass through'}
                    </button>
                  </>
                )}
              </td>
              <td className="num">{table.columns.length}</td>
              <td className="num">{stored ? count(stored.rows) : ''}</td>
              <td className="num" title={stored ? `${count(stored.bytes)} bytes` : ''}>
                {stored ? bytes(stored.bytes) : ''}
              </td>
              <td className="num text-soft">{stored && total > 0 ? percent(stored.bytes / total) : ''}</td>
              <td className="text-soft">
                {stored
                  ? moment(stored.loadedAt)
                  : isPassed
                    ? 'passed through'
                    : isLoaded(table)
                      ? 'not imported yet'
                      : ''}
                {stored && stored.problems.length > 0 && (
                  <span className="text-vermilion"> · {many(stored.problems.length, 'line')} left out</span>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
