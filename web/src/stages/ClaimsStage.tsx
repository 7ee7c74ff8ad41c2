import { useMemo, useState } from 'react';
import type { JudgedClaim, Verdict } from '@crease/core/claims';
import { Leaves, LeafHead, Blank } from '../frame/Leaves.tsx';
import { useModel } from '../state/model.tsx';
import { saveFile } from '../state/save.ts';
import { useSelection } from '../state/selection.ts';
import { EvidenceLeaf } from '../evidence/EvidenceLeaf.tsx';
import { VerdictMark } from '../parts/Marks.tsx';
import { count, many } from '../parts/text.ts';

const VERDICTS: readonly Verdict[] = ['broken', 'unchecked', 'waived', 'holds'];

/** All claims in one list: filtered, grouped by kind, and exported. */
export function ClaimsStage() {
  const { claims, model } = useModel();
  const [shown, setShown] = useState<ReadonlySet<Verdict>>(new Set(['broken', 'unchecked', 'waived']));
  const [search, setSearch] = useState('');
  const found = useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter(Boolean);
    return (claims?.claims ?? []).filter((c) => shown.has(c.verdict) && words.every((w) => `${c.id} ${c.says}`.toLowerCase().includes(w)));
  }, [claims, shown, search]);
  const groups = useMemo(() => Map.groupBy(found, (c) => c.kind), [found]);
  const toggle = (verdict: Verdict) =>
    setShown((before) => (before.has(verdict) ? new Set([...before].filter((v) => v !== verdict)) : new Set([...before, verdict])));
  const exported = () => {
    const text = JSON.stringify({ model: model.name, claims: claims?.claims, summary: claims?.summary }, null, 2);
    saveFile(`${model.name}.claims.json`, text, 'application/json');
  };
  const design = (
    <>
      <LeafHead title="Claims" note={claims ? (claims.done ? `judged in ${count(claims.elapsedMs)} ms` : 'being judged …') : ''}>
        <input
          className="field w-[180px]"
          placeholder="Narrow down"
          aria-label="Narrow down"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        {VERDICTS.map((v) => (
          <button key={v} className="btn" aria-pressed={shown.has(v)} onClick={() => toggle(v)}>
            <VerdictMark verdict={v} size={11} /> {v} {count(claims?.summary[v] ?? 0)}
          </button>
        ))}
        <button className="btn" onClick={exported} disabled={!claims}>
          Save as JSON
        </button>
      </LeafHead>
      <div className="min-h-0 flex-1 overflow-auto">
        {claims && found.length === 0 && (
          <Blank>
            {claims.claims.length === 0
              ? 'The model makes no claims yet: bring in tables first.'
              : 'No claim is shown: choose more verdicts above, or other words.'}
          </Blank>
        )}
        {[...groups].map(([kind, list]) => (
          <section key={kind} aria-label={kind}>
            <h2 className="eyebrow sticky top-0 border-b border-rule bg-paper px-4 py-1 font-sans">
              {kind} · {many(list.length, 'claim')}
            </h2>
            {list.map((claim, i) => (
              <ClaimRow key={`${claim.id}${i}`} claim={claim} />
            ))}
          </section>
        ))}
      </div>
    </>
  );
  return <Leaves label="Claims" design={design} evidence={<EvidenceLeaf />} />;
}

function ClaimRow({ claim }: { claim: JudgedClaim }) {
  const [selection, select] = useSelection();
  const current = selection?.kind === 'claim' && selection.name === claim.id;
  return (
    <button
      className="rowlink flex items-baseline gap-3 border-b border-rule px-4 py-[5px]"
      aria-current={current}
      onClick={() => select({ kind: 'claim', name: claim.id })}
    >
      <span className="relative top-[1px]">
        <VerdictMark verdict={claim.verdict} size={11} />
      </span>
      <span className="min-w-0 flex-1 truncate">{claim.says}</span>
      <span className="text-[11px] text-soft">{claim.verdict === 'broken' ? claim.weight : ''}</span>
      <span className="num w-[70px] font-semibold text-vermilion">{claim.evidence.against > 0 ? count(claim.evidence.against) : ''}</span>
      <span className="num w-[80px] text-soft" title="looked at">
        {count(claim.evidence.checked)}
      </span>
    </button>
  );
}
