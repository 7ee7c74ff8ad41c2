import { useMemo, useState } from 'react';
import type { Proposal, ReferencePattern } from '@crease/core/propose';
import { REFERENCE_PATTERNS } from '@crease/core/propose';
import { api } from '@crease/contract';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';
import { Blank, LeafHead } from '../../frame/Leaves.tsx';
import { many } from '../../parts/text.ts';

const KINDS: readonly (readonly [Proposal['kind'], string])[] = [
  ['type', 'Types that keys need to match'],
  ['key', 'Keys'],
  ['relationship', 'Relationships'],
  ['hierarchy', 'Hierarchies'],
  ['role', 'Roles of tables'],
  ['use', 'Uses of columns'],
  ['label', 'Labels'],
  ['calendar', 'Calendars'],
  ['measure', 'Base measures'],
];

/** Drafted star, part by part with its evidence: leave out what is wrong, and accept the rest as one edit. */
export function Proposals({ onBack }: { onBack: () => void }) {
  const { id, edit } = useModel();
  const go = useGo();
  const [pattern, setPattern] = useState<ReferencePattern>('names and values');
  const { data, error, isLoading } = useAnswer(api.questions.proposals, { id, pattern });
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const proposals = useMemo(() => data?.proposals ?? [], [data]);
  const chosen = proposals.filter((p) => !left.has(p.id));
  const groups = useMemo(() => Map.groupBy(proposals, (p) => p.kind), [proposals]);
  const toggle = (ids: readonly string[], take: boolean) =>
    setLeft((before) =>
      take ? new Set([...before].filter((x) => !ids.includes(x))) : new Set([...before, ...ids]),
    );
  const accept = async () => {
    if (
      await edit(
        chosen.flatMap((p) => p.edit),
        `accept ${many(chosen.length, 'proposal')} for the star`,
      )
    )
      go('stars');
  };
  return (
    <>
      <LeafHead title="Drafted star" note={data ? many(proposals.length, 'proposal') : ''}>
        <label
          className="flex items-center gap-1 text-soft"
          title="How references are found where none is declared"
        >
          references by
          <select
            className="field"
            value={pattern}
            onChange={(e) => setPattern(e.target.value as ReferencePattern)}
          >
            {REFERENCE_PATTERNS.map((p) => (
              <option key={p}>{p}</option>
            ))}
          </select>
        </label>
        <button className="btn" onClick={onBack}>
          Back
        </button>
        <button className="btn btn-act" disabled={chosen.length === 0} onClick={() => void accept()}>
          Accept {chosen.length === proposals.length ? 'all' : many(chosen.length, 'proposal')}
        </button>
      </LeafHead>
      <div className="min-h-0 flex-1 overflow-auto">
        {isLoading && <p className="p-4 text-soft">Comparing columns …</p>}
        {error && <Blank>{error.message}</Blank>}
        {data && proposals.length === 0 && (
          <Blank>Nothing to add: the model already has what the rows suggest.</Blank>
        )}
        {KINDS.map(([kind, title]) => {
          const list = groups.get(kind) ?? [];
          if (list.length === 0) return null;
          const ids = list.map((p) => p.id);
          return (
            <section key={kind} aria-label={title}>
              <h2 className="eyebrow sticky top-0 z-10 flex items-center gap-3 border-b border-rule bg-paper px-4 py-1 font-sans">
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={ids.every((x) => !left.has(x))}
                    onChange={(e) => toggle(ids, e.target.checked)}
                  />{' '}
                  {title} · {list.length}
                </label>
              </h2>
              {list.map((p) => (
                <label
                  key={p.id}
                  className={`rowlink flex cursor-pointer items-baseline gap-3 border-b border-rule px-4 py-[5px] ${left.has(p.id) ? 'opacity-45' : ''}`}
                >
                  <input
                    type="checkbox"
                    checked={!left.has(p.id)}
                    onChange={(e) => toggle([p.id], e.target.checked)}
                    aria-label={p.says}
                  />
                  <span className="min-w-0 flex-1">{p.says}</span>
                  <span className="w-[52%] text-soft">{p.evidence.join('; ')}</span>
                </label>
              ))}
            </section>
          );
        })}
      </div>
    </>
  );
}
