import { useMemo, useState } from 'react';
import { cardinalityOf } from '@crease/core/model';
import { Reach } from '@crease/core/relate';
import type { Route } from '@crease/core/relate';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { VerdictMark } from '../../parts/Marks.tsx';

interface Cell {
  readonly sign: string;
  readonly says: string;
  readonly broken?: boolean;
}

function cellOf(route: Route | undefined, fact: string, table: string): Cell {
  if (!route) return { sign: '', says: `${table} does not reach ${fact}` };
  if (route.kind === 'ambiguous')
    return {
      sign: 'two ways',
      says: `two default ways lead from ${fact} to ${table}: ${route.paths.map((p) => p.map((r) => r.name).join(' → ')).join('; ')}`,
      broken: true,
    };
  const all = 'entry' in route ? [...route.anchor, route.entry, ...route.path] : route.path;
  const level = all.find((r) => cardinalityOf(r) === 'many-to-level');
  const way = all.map((r) => r.name).join(' → ');
  const at = level ? `, at the level of ${level.to.columns.join(', ')}` : '';
  if (route.kind === 'bridge')
    return { sign: 'bridge', says: `${table} reaches ${fact} over the bridge ${route.entry.from.table}: ${way}${at}` };
  if (route.kind === 'many-to-many') return { sign: 'many', says: `${table} reaches ${fact} by values: ${way}${at}` };
  return {
    sign: level ? level.to.columns.join(', ') : route.path.length > 1 ? 'outrigger' : 'direct',
    says: `${table} reaches ${fact}: ${way}${at}`,
  };
}

/** Facts down, dimensions across: how each dimension reaches each fact, and at which level. */
export function Matrix() {
  const { model, names } = useModel();
  const [, select] = useSelection();
  const [chosen, setChosen] = useState<string>();
  const reach = useMemo(() => new Reach(names), [names]);
  const facts = model.tables.filter((t) => t.role === 'fact');
  const dimensions = model.tables.filter((t) => t.role === 'dimension');
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="grid-plain" aria-label="Matrix of facts and dimensions">
          <thead>
            <tr>
              <th scope="col">fact</th>
              {dimensions.map((d) => (
                <th key={d.name} scope="col" style={{ height: 118, verticalAlign: 'bottom' }}>
                  <button
                    onClick={() => select({ kind: 'table', name: d.name })}
                    className="hover:underline"
                    style={{ writingMode: 'vertical-rl', transform: 'rotate(180deg)' }}
                  >
                    {d.name}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {facts.map((f) => (
              <tr key={f.name}>
                <th scope="row" className="whitespace-nowrap" style={{ position: 'static' }}>
                  <button onClick={() => select({ kind: 'table', name: f.name })} className="text-ink hover:underline">
                    {f.name}
                  </button>
                </th>
                {dimensions.map((d) => {
                  const cell = cellOf(reach.route(f.name, d.name), f.name, d.name);
                  const key = `${f.name}\n${d.name}`;
                  return (
                    <td
                      key={d.name}
                      className={`p-0 ${cell.sign === '' ? 'hatched' : ''} ${chosen === cell.says ? 'outline outline-ink' : ''}`}
                    >
                      <button
                        key={key}
                        className="h-full min-h-[30px] w-full px-1 text-[11px]"
                        title={cell.says}
                        aria-label={cell.says}
                        onClick={() => setChosen(cell.says)}
                      >
                        {cell.broken ? <VerdictMark verdict="broken" size={11} /> : cell.sign}
                      </button>
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="min-h-[34px] border-t border-rule px-4 py-2" aria-live="polite">
        {chosen ?? 'Choose a cell to see the way.'}
      </p>
    </div>
  );
}
