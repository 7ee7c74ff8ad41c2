import type { RowPage } from '@crease/contract';
import { isNumeric } from './format.ts';
import { Cell } from './Cell.tsx';

/** A page of rows, to scroll; null is told from the empty text. */
export function RowGrid({
  page,
  label,
  onColumn,
}: {
  page: RowPage;
  label: string;
  onColumn?: (name: string) => void;
}) {
  return (
    <div
      className="max-h-[420px] overflow-auto border border-rule"
      tabIndex={0}
      role="group"
      aria-label={`${label}, to scroll`}
    >
      <table className="grid-plain" aria-label={label}>
        <thead>
          <tr>
            {page.columns.map((c) => (
              <th key={c.name} scope="col" className={isNumeric(c.type) ? 'num' : ''} title={c.type}>
                {onColumn ? <button onClick={() => onColumn(c.name)}>{c.name}</button> : c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {page.rows.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <td key={j} className={`whitespace-nowrap ${isNumeric(page.columns[j]!.type) ? 'num' : ''}`}>
                  <Cell value={cell} type={page.columns[j]!.type} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
