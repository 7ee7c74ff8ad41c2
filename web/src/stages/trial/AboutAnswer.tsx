import { useMemo } from 'react';
import type { QueryState } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { objectOf, useGo } from '../../state/selection.ts';
import { stageOfKind } from '../../frame/stages.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { checkerOf } from '../../parts/checkers.ts';
import { count } from '../../parts/text.ts';
import { surprisesOf } from './surprises.ts';

const MOST = 8;

/** What one should know before believing an answer, each with the claim that tells more. */
export function AboutAnswer({ answer, query }: { answer: QueryState; query: Query }) {
  const { whole, claims } = useModel();
  const go = useGo();
  const found = useMemo(
    () => surprisesOf(answer, query, checkerOf(whole), claims?.claims ?? []),
    [answer, query, whole, claims],
  );
  if (found.length === 0) return null;
  return (
    <section aria-label="About this answer" className="border-b border-rule px-4 py-3">
      <h2 className="text-[15px]">About this answer</h2>
      <ul className="mt-1">
        {found.slice(0, MOST).map(({ text, claim }) => (
          <li key={text}>
            {claim ? (
              <button
                className="rowlink flex items-baseline gap-2 py-[3px]"
                title={claim.id}
                onClick={() => go(stageOfKind(claim.kind), objectOf(claim), claim.id)}
              >
                <VerdictMark verdict="broken" size={11} />
                <span className="min-w-0 flex-1">{text}</span>
              </button>
            ) : (
              <p className="py-[3px]">{text}</p>
            )}
          </li>
        ))}
      </ul>
      {found.length > MOST && <p className="text-soft">and {count(found.length - MOST)} more</p>}
    </section>
  );
}
