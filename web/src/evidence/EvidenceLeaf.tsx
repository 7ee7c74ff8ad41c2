import { useEffect } from 'react';
import type { ReactNode } from 'react';
import { api } from '@crease/contract';
import { ask } from '../state/api.ts';
import { useModel } from '../state/model.tsx';
import type { Selection } from '../state/selection.ts';
import { isAbout, useGo, useSelection } from '../state/selection.ts';
import { stageOfKind } from '../frame/stages.tsx';
import { ClaimCard, ClaimLine } from './ClaimCard.tsx';
import { SelectionFacts } from './SelectionFacts.tsx';
import { many } from '../parts/text.ts';

const RANK = { broken: 0, unchecked: 1, waived: 2, holds: 3 } as const;

/**
 * The evidence on what is selected: its claims, broken ones open, and what is known of it. `children` is what the stage
 * itself has to show; a stage that lists the broken claims itself goes without the `overview`.
 */
export function EvidenceLeaf({ children, overview = true }: { children?: ReactNode; overview?: boolean }) {
  const [selection, select] = useSelection();
  useInterest(selection);
  return (
    <div className="flex flex-col">
      {selection ? <SelectionHead selection={selection} onClear={() => select(undefined)} /> : null}
      {children}
      {selection ? <ClaimsAbout selection={selection} /> : overview ? <Overview /> : null}
      {selection && <SelectionFacts selection={selection} />}
    </div>
  );
}

/** Tells the server what is looked at: its claims are judged first when there is something to judge. */
function useInterest(selection: Selection | undefined): void {
  const { id, fail } = useModel();
  const text = selection?.name ?? '';
  useEffect(() => {
    if (text === '') return;
    // Of a column the table counts as well.
    const names = [...new Set([text, text.split('.')[0]!])];
    ask(api.claims.interest, { id }, { names }).catch(fail);
  }, [id, text, fail]);
}

function SelectionHead({ selection, onClear }: { selection: Selection; onClear: () => void }) {
  return (
    <header className="flex min-h-[42px] items-center gap-3 border-b border-rule px-4 py-2">
      <span className="eyebrow">{selection.kind}</span>
      <h2 className="min-w-0 flex-1 break-words text-[15px]">{selection.name}</h2>
      <button className="btn btn-bare text-soft" onClick={onClear}>
        Clear
      </button>
    </header>
  );
}

function ClaimsAbout({ selection }: { selection: Selection }) {
  const { claims } = useModel();
  if (!claims) return <p className="p-4 text-soft">Listing claims …</p>;
  const found = claims.claims
    .filter((c) => isAbout(c.about, selection, c.subject, c.id))
    .sort((a, b) => RANK[a.verdict] - RANK[b.verdict]);
  const open = found.filter((c) => c.verdict !== 'holds' || selection.kind === 'claim');
  const holding = found.filter((c) => !open.includes(c));
  if (found.length === 0)
    return <p className="border-b border-rule p-4 text-soft">No claim is made about this.</p>;
  return (
    <section aria-label="Claims" className="border-b border-rule">
      {open.map((claim) => (
        <ClaimCard key={claim.id} claim={claim} />
      ))}
      {holding.length > 0 && (
        <details open={open.length === 0} className="px-4 py-2">
          <summary className="cursor-pointer text-soft">
            {many(holding.length, 'claim')} hold{holding.length === 1 ? 's' : ''}
          </summary>
          <ul className="mt-1">
            {holding.map((claim) => (
              <ClaimLine key={claim.id} claim={claim} />
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

/** With nothing selected: what is broken, to begin with. */
function Overview() {
  const { claims } = useModel();
  const go = useGo();
  if (!claims) return <p className="p-4 text-soft">Listing claims …</p>;
  const broken = claims.claims
    .filter((c) => c.verdict === 'broken')
    .sort((a, b) => (a.weight === b.weight ? 0 : a.weight === 'blocks' ? -1 : 1));
  return (
    <section aria-label="Broken claims">
      <header className="flex min-h-[42px] items-center border-b border-rule px-4 py-2">
        <h2 className="text-[15px]">
          {claims.claims.length === 0
            ? 'No claims yet'
            : broken.length === 0
              ? 'Nothing is broken'
              : `${many(broken.length, 'broken claim')}`}
        </h2>
      </header>
      {claims.claims.length === 0 && (
        <p className="p-4 text-soft">
          Claims appear as soon as the model has tables with keys and relationships. Select something to see
          the evidence on it.
        </p>
      )}
      <ul>
        {broken.map((claim) => (
          <li key={claim.id}>
            <button
              className="rowlink border-b border-rule px-4 py-[6px]"
              onClick={() => go(stageOfKind(claim.kind), { kind: 'claim', name: claim.id })}
            >
              <ClaimLine claim={claim} plain />
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
