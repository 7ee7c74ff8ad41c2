import { useState } from 'react';
import type { TryState } from '@crease/contract';
import { api } from '@crease/contract';
import type { JudgedClaim, Remedy } from '@crease/core/claims';
import { useAnswer } from '../state/useAnswer.ts';
import { useModel } from '../state/model.tsx';
import { VerdictMark } from '../parts/Marks.tsx';
import { count, many } from '../parts/text.ts';

/**
 * Ways out of a broken claim, each with what it would do to all claims before it is applied. `open` has that
 * worked out at once.
 */
export function RemedyList({ claim, open }: { claim: JudgedClaim; open: boolean }) {
  return claim.remedies.map((remedy) => (
    <RemedyLine key={remedy.id} claim={claim} remedy={remedy} open={open} />
  ));
}

function RemedyLine({ claim, remedy, open }: { claim: JudgedClaim; remedy: Remedy; open: boolean }) {
  const { id, edit, state } = useModel();
  const [asked, setAsked] = useState(false);
  const shown = open || asked;
  const { data, error } = useAnswer(api.claims.preview, shown ? { id } : undefined, {
    body: { edit: remedy.edit },
    of: state.revision.id,
    revalidateIfStale: false,
  });
  return (
    <div className="mb-1 border-l-2 border-rule-strong py-[2px] pl-3">
      <div className="flex items-start gap-3">
        <span className="min-w-0 flex-1">
          <b>{remedy.title}.</b> <span className="text-soft">{remedy.effect}</span>
        </span>
        {!shown && (
          <button
            className="btn btn-bare shrink-0"
            onClick={() => setAsked(true)}
            aria-label={`Try: ${remedy.title}`}
          >
            Try
          </button>
        )}
        <button
          className="btn shrink-0"
          onClick={() => void edit(remedy.edit, `${remedy.title} (for ${claim.id})`)}
          aria-label={`Apply: ${remedy.title}`}
        >
          Apply
        </button>
      </div>
      {error && <p className="text-vermilion">{error.message}</p>}
      {shown && !error && <Effect claim={claim} tried={data} />}
    </div>
  );
}

/** What the claims would be after it: the one in question first, then how many others mend or break. */
function Effect({ claim, tried }: { claim: JudgedClaim; tried: TryState | undefined }) {
  const [all, setAll] = useState(false);
  if (!tried) return <p className="text-soft">Judging on the rows …</p>;
  const own = tried.changes.find((c) => c.id === claim.id);
  const others = tried.changes.filter((c) => c.id !== claim.id);
  const mends = others.filter((c) => c.before?.verdict === 'broken' && c.after.verdict === 'holds').length;
  const breaks = others.filter((c) => c.before?.verdict !== 'broken' && c.after.verdict === 'broken');
  const gone = tried.gone.includes(claim.id);
  const parts = [
    own?.after.verdict === 'holds'
      ? 'holds'
      : gone
        ? 'no longer applies'
        : own
          ? `${many(own.after.against, 'violation')} instead of ${count(own.before?.against ?? 0)}`
          : 'still broken',
    ...(mends > 0 ? [`${many(mends, 'other broken claim')} ${mends === 1 ? 'holds' : 'hold'}`] : []),
    ...(tried.left > 0 ? [`${many(tried.left, 'claim')} not judged: timed out`] : []),
  ];
  return (
    <div>
      <p className="flex items-baseline gap-2">
        <VerdictMark verdict={own?.after.verdict === 'holds' || gone ? 'holds' : 'broken'} size={10} />
        <span>
          After this: {parts.join('; ')}
          {breaks.length > 0 && (
            <b className="font-semibold text-vermilion">
              ; {many(breaks.length, 'claim')} {breaks.length === 1 ? 'breaks' : 'break'}
            </b>
          )}
          .
        </span>
        {others.length > 0 && (
          <button className="btn btn-bare h-[20px]" aria-expanded={all} onClick={() => setAll(!all)}>
            {all ? 'Fewer' : 'Which'}
          </button>
        )}
      </p>
      {all && (
        <ul className="mt-1">
          {others.slice(0, 30).map((c) => (
            <li key={c.id} className="flex items-baseline gap-2">
              {c.before ? <VerdictMark verdict={c.before.verdict} size={9} /> : <span className="w-[9px]" />}
              <span aria-hidden>→</span>
              <VerdictMark verdict={c.after.verdict} size={9} />
              <span className="min-w-0 flex-1">{c.says}</span>
              {c.after.against > 0 && <span className="num text-vermilion">{count(c.after.against)}</span>}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
