import { useMemo } from 'react';
import type { Way } from '@crease/core/stars';
import { wayTo } from '@crease/core/stars';
import type { Table } from '@crease/core/model';
import { Reach } from '@crease/core/relate';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { brokenHops, brokenText } from './brokenHops.ts';
import { VerdictMark } from '../../parts/Marks.tsx';

const SIGNS: Record<Way['kind'], string> = {
  own: 'own',
  direct: 'direct',
  outrigger: 'outrigger',
  bridge: 'bridge',
  'many-to-many': 'values',
  ambiguous: 'ambiguous',
  none: '',
};

/**
 * Facts down, dimensions across: how each dimension reaches each fact, and at which level. A cell explains
 * itself in the other leaf.
 */
export function Matrix({
  chosen,
  onChoose,
}: {
  chosen: string | undefined;
  onChoose: (cell: string) => void;
}) {
  const { model, names, claims } = useModel();
  const [, select] = useSelection();
  const { facts, dimensions, ways } = useMemo(() => {
    const reach = new Reach(names);
    const of = (role: Table['role']) => model.tables.filter((t) => t.role === role);
    const pairs = of('fact').flatMap((f) =>
      of('dimension').map((d) => [cellKey(f.name, d.name), wayTo(model, f.name, d.name, reach)] as const),
    );
    return { facts: of('fact'), dimensions: of('dimension'), ways: new Map(pairs) };
  }, [model, names]);
  if (facts.length === 0 || dimensions.length === 0)
    return (
      <p className="p-4 text-soft">The matrix shows facts by dimensions: set the roles of tables on Shape.</p>
    );
  return (
    <div className="min-h-0 flex-1 overflow-auto" tabIndex={0} role="group" aria-label="Matrix, to scroll">
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
                <button
                  onClick={() => select({ kind: 'table', name: f.name })}
                  className="text-ink hover:underline"
                >
                  {f.name}
                </button>
              </th>
              {dimensions.map((d) => {
                const key = cellKey(f.name, d.name);
                const way = ways.get(key)!;
                const broken = brokenHops(way, claims?.claims ?? []);
                const reaches = `${d.name} ${way.kind === 'none' ? 'does not reach' : 'reaches'} ${f.name}: ${way.says[0]}`;
                const says = broken.length > 0 ? `${reaches}; but ${brokenText(broken)}` : reaches;
                return (
                  <td
                    key={d.name}
                    className={`p-0 ${way.kind === 'none' ? 'hatched' : ''} ${chosen === key ? 'outline-2 outline-ink' : ''}`}
                  >
                    <button
                      className="h-full min-h-[30px] w-full px-1 text-[11px]"
                      title={says}
                      aria-label={says}
                      aria-pressed={chosen === key}
                      onClick={() => onChoose(key)}
                    >
                      {way.kind === 'ambiguous' ? (
                        <VerdictMark verdict="broken" size={11} />
                      ) : way.level ? (
                        <b>{way.level.join(', ')}</b>
                      ) : (
                        SIGNS[way.kind]
                      )}
                      {broken.length > 0 && way.kind !== 'ambiguous' && (
                        <>
                          {' '}
                          <VerdictMark verdict="broken" size={9} />
                        </>
                      )}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const cellKey = (fact: string, dimension: string): string => `${fact}~${dimension}`;
