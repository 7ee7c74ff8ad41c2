import type { Table } from '@crease/core/model';
import type { ConnectionState, DatabaseTable } from '@crease/contract';
import { compact, count } from '../../parts/text.ts';
import { keyOf } from './databaseTable.ts';

/** The tables of a database: what they are called, how many rows they have, what they refer to. */
export function TablesGrid({
  connection,
  shown,
  chosen,
  setChosen,
  held,
  tables,
}: {
  connection: ConnectionState;
  shown: readonly DatabaseTable[];
  chosen: ReadonlySet<string>;
  setChosen: (next: ReadonlySet<string>) => void;
  held: (t: DatabaseTable) => Table | undefined;
  tables: readonly DatabaseTable[];
}) {
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <table className="grid-plain" aria-label={`Tables of ${connection.name}`}>
        <thead>
          <tr>
            <th scope="col">
              <input
                type="checkbox"
                aria-label="Choose all tables that are shown"
                checked={shown.length > 0 && shown.every((t) => chosen.has(keyOf(t)))}
                onChange={(e) => {
                  const next = new Set(chosen);
                  for (const t of shown)
                    if (e.target.checked && t.readable) next.add(keyOf(t));
                    else next.delete(keyOf(t));
                  setChosen(next);
                }}
              />
            </th>
            <th scope="col">table</th>
            <th scope="col" className="num">
              rows, about
            </th>
            <th scope="col" className="num">
              columns
            </th>
            <th scope="col">key</th>
            <th scope="col">refers to</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((t) => {
            const own = keyOf(t);
            return <TableRow key={own} t={t} chosen={chosen} own={own} setChosen={setChosen} held={held} />;
          })}
        </tbody>
      </table>
      {shown.length === 0 && (
        <p className="p-4 text-soft">
          {tables.length === 0 ? 'This account can see no tables.' : 'No matches'}
        </p>
      )}
    </div>
  );
}

/** A table of the database, and what of the model holds it. */
function TableRow({
  t,
  chosen,
  own,
  setChosen,
  held,
}: {
  t: DatabaseTable;
  chosen: ReadonlySet<string>;
  own: string;
  setChosen: (next: ReadonlySet<string>) => void;
  held: (t: DatabaseTable) => Table | undefined;
}) {
  return (
    <tr>
      <td>
        <input
          type="checkbox"
          aria-label={`Choose ${t.table}`}
          disabled={!t.readable}
          checked={chosen.has(own)}
          onChange={(e) => {
            const next = new Set(chosen);
            if (e.target.checked) next.add(own);
            else next.delete(own);
            setChosen(next);
          }}
        />
      </td>
      <td>
        {t.schema !== null && <span className="text-soft">{t.schema}.</span>}
        <b>{t.table}</b>
        {t.kind === 'view' && <span className="ml-2 text-soft">view</span>}
        {!t.readable && <span className="ml-2 text-vermilion">no permission</span>}
        {held(t) && (
          <span className="ml-2 text-soft">
            {held(t)!.held === false ? 'passed through as' : 'imported as'} {held(t)!.name}
          </span>
        )}
      </td>
      <td className="num" title={t.rows === null ? 'unknown' : count(t.rows)}>
        {t.rows === null ? '?' : compact(t.rows)}
      </td>
      <td className="num">{t.columns}</td>
      <td className="text-soft">{t.key.join(', ')}</td>
      <td className="text-soft">{[...new Set(t.references.map((r) => r.table))].join(', ')}</td>
    </tr>
  );
}
