import { api } from '@crease/contract';
import type { Hierarchy } from '@crease/core/model';
import type { FoundLevels as Chain } from '@crease/core/propose';
import { hierarchyOf } from '@crease/core/propose';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { count, many } from '../../parts/text.ts';

/**
 * Levels that the rows show to lie in each other, to be tried with a click, and what would be true except for
 * a few rows.
 */
export function FoundLevels({ table, onTry }: { table: string; onTry: (hierarchy: Hierarchy) => void }) {
  const { id, state, model } = useModel();
  const { data, error } = useAnswer(api.questions.foundLevels, { id, table }, { of: state.revision.id });
  const known = (chain: Chain) =>
    (model.hierarchies ?? []).some(
      (h) =>
        h.table === chain.table &&
        JSON.stringify((h.levels ?? []).map((l) => l.column)) ===
          JSON.stringify(chain.levels.map((l) => l.path)),
    );
  if (error) return <p className="border-b border-rule p-4 text-soft">{error.message}</p>;
  if (!data) return <p className="border-b border-rule p-4 text-soft">Comparing columns …</p>;
  const chains = data.chains.filter((c) => !known(c));
  return (
    <section aria-label="Found in the rows" className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Found in the rows{table === '' ? '' : ` of ${table}`}</h2>
      {chains.length === 0 && data.near.length === 0 && <p className="text-soft">No further columns nest.</p>}
      <ul>
        {chains.map((chain) => (
          <li key={JSON.stringify(chain)} className="flex items-baseline gap-3 py-[3px]">
            <span className="min-w-0 flex-1">
              {table === '' && <b>{chain.table}: </b>}
              {chain.levels.map((l) => `${l.path} (${count(l.members)})`).join(' › ')}
            </span>
            <button
              className="btn shrink-0"
              aria-label={`Try ${chain.levels.map((l) => l.path).join(', ')}`}
              onClick={() => onTry(hierarchyOf('', chain))}
            >
              Try
            </button>
          </li>
        ))}
      </ul>
      {data.near.length > 0 && (
        <>
          <p className="eyebrow mt-2">true except for a few rows</p>
          <ul>
            {data.near.map((n) => (
              <li key={`${n.table}.${n.lower}.${n.upper}`} className="flex items-baseline gap-3 py-[2px]">
                <span className="min-w-0 flex-1">
                  {table === '' && <b>{n.table}: </b>}
                  each {n.lower} is in one {n.upper}, except {many(n.rows, 'row')} of{' '}
                  {many(n.members, 'member')}
                </span>
                <button
                  className="btn btn-bare shrink-0"
                  aria-label={`Try ${n.upper}, ${n.lower}`}
                  onClick={() =>
                    onTry(
                      hierarchyOf('', {
                        table: n.table,
                        levels: [
                          { path: n.upper, members: 0 },
                          { path: n.lower, members: 0 },
                        ],
                      }),
                    )
                  }
                >
                  Try
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
