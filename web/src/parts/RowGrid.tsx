import type { RowPage } from '@crease/contract';
import { Cell } from './Cell.tsx';

const isNumber = (type: string): boolean => /^(int|dec|dou)/.test(type);

/** A page of rows, to scroll; null is told from the empty text. */
export function RowGrid({ page, label, onColumn }: { page: RowPage; label: string; onColumn?: (name: string) => void }) {
  return (
    <div className="max-h-[420px] overflow-auto border border-rule" tabIndex={0} role="group" aria-label={`${label}, to scroll`}>
      <table className="grid-plain" aria-label={label}>
        <thead>
          <tr>
            {page.columns.map((c) => (
              <th key={c.name} scope="col" className={isNumber(c.type) ? 'num' : ''} title={c.type}>
                {onColumn ? <button onClick={() => onColumn(c.name)}>{c.name}</button> : c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {page.rows.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <td key={j} className={`whitespace-nowrap ${isNumber(page.columns[j]!.type) ? 'num' : ''}`}>
                  <Cell value={cell} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
