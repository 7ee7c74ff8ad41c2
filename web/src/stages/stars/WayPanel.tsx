import { useMemo } from 'react';
import type { Way } from '@crease/core/stars';
import { reachedFrom, wayTo } from '@crease/core/stars';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { VerdictMark } from '../../parts/Marks.tsx';
import { brokenText } from './brokenHops.ts';

/** A way hop by hop; a relationship can be selected. */
function WaySteps({ way }: { way: Way }) {
  const [, select] = useSelection();
  const { claims } = useModel();
  const broken = (name: string) =>
    (claims?.claims ?? []).find((c) => c.verdict === 'broken' && c.about[0]?.relationship === name);
  const list = (hops: Way['hops']) => (
    <ol className="my-1">
      {hops.map((h) => (
        <li key={h.relationship} className="flex items-baseline gap-2 py-[2px]">
          <button
            className="font-semibold underline decoration-rule-strong"
            onClick={() => select({ kind: 'relationship', name: h.relationship })}
          >
            {h.relationship}
          </button>
          <span className="text-soft">{h.says}</span>
          {broken(h.relationship) && (
            <span className="text-vermilion">
              <VerdictMark verdict="broken" size={10} /> {brokenText([broken(h.relationship)!])}
            </span>
          )}
        </li>
      ))}
    </ol>
  );
  return (
    <>
      {(way.ways ?? [way.hops]).map((hops, i) => (
        <div key={i}>
          {way.ways && <p className="eyebrow mt-1">path {i + 1}</p>}
          {list(hops)}
        </div>
      ))}
    </>
  );
}

const TITLES: Record<Way['kind'], string> = {
  own: 'own rows',
  direct: 'directly',
  outrigger: 'over an outrigger',
  bridge: 'over a bridge',
  'many-to-many': 'by values',
  ambiguous: 'two paths: ambiguous',
  none: 'does not reach',
};

/** How a dimension reaches a fact, or why it does not and what would make it. */
export function WayPanel({ fact, table, onRelate }: { fact: string; table: string; onRelate: () => void }) {
  const { model, edit } = useModel();
  const way = useMemo(() => wayTo(model, fact, table), [model, fact, table]);
  const unrelated = way.kind === 'none' || way.kind === 'ambiguous';
  return (
    <section aria-label={`How ${table} reaches ${fact}`} className="border-b border-rule px-4 py-3">
      <h2 className="text-[15px]">
        {table} → {fact}: {TITLES[way.kind]}
      </h2>
      {way.level && <p className="mt-1">at the level of {way.level.join(', ')}</p>}
      <WaySteps way={way} />
      {way.says.map((s) => (
        <p key={s} className={unrelated ? '' : 'text-soft'}>
          {s}.
        </p>
      ))}
      {(way.asleep ?? []).map((name) => (
        <button
          key={name}
          className="btn mt-2 mr-2"
          onClick={() =>
            void edit([{ do: 'set-relationship', name, change: { default: true } }], `use ${name} by default`)
          }
        >
          Use {name} by default
        </button>
      ))}
      {way.kind === 'none' && (
        <button className="btn mt-2" onClick={onRelate}>
          Relate …
        </button>
      )}
    </section>
  );
}

/**
 * What filters on a table reach: the facts first, each with its way; and those that they do not reach, with
 * the reason.
 */
export function ReachPanel({ table }: { table: string }) {
  const { model, names } = useModel();
  const { ways } = useMemo(() => reachedFrom(model, table), [model, table]);
  const all = [...ways].sort(([a], [b]) => rank(names.table(a)?.role) - rank(names.table(b)?.role));
  const reached = all.filter(([, way]) => way.kind !== 'none' && way.kind !== 'ambiguous');
  const left = all.filter(([, way]) => way.kind === 'none' || way.kind === 'ambiguous');
  return (
    <section aria-label={`What ${table} reaches`} className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Filters on {table} reach</h2>
      {reached.length === 0 && <p className="text-soft">no other table</p>}
      {reached.map(([name, way]) => (
        <details key={name} className="py-[2px]">
          <summary className="cursor-pointer">
            <b>{name}</b>{' '}
            <span className="text-soft">
              {TITLES[way.kind]}
              {way.level ? `, at ${way.level.join(', ')}` : ''}
            </span>
          </summary>
          <div className="pl-4">
            <WaySteps way={way} />
            {way.says.map((s) => (
              <p key={s} className="text-soft">
                {s}.
              </p>
            ))}
          </div>
        </details>
      ))}
      {left.length > 0 && <p className="eyebrow mt-2">and not</p>}
      {left.map(([name, way]) => (
        <div key={name} className="py-[2px]">
          <p>
            {way.kind === 'ambiguous' && <VerdictMark verdict="broken" size={10} />} <b>{name}</b>:{' '}
            <span className="text-soft">{way.says[0]}</span>
          </p>
        </div>
      ))}
    </section>
  );
}

const rank = (role: string | undefined): number => (role === 'fact' ? 0 : role === 'bridge' ? 1 : 2);
