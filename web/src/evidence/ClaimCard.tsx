import { useState } from 'react';
import type { JudgedClaim } from '@crease/core/claims';
import { useModel } from '../state/model.tsx';
import { useAuthor } from '../state/author.ts';
import { useSelection } from '../state/selection.ts';
import { VerdictMark } from '../parts/Marks.tsx';
import { cellText, count, many } from '../parts/text.ts';
import { RemedyList } from './RemedyList.tsx';

/** Whoever waives claims here is asked once who it is. */

/** One line of a claim: its mark, what it says, and how much speaks against it. */
export function ClaimLine({ claim, plain = false }: { claim: JudgedClaim; plain?: boolean }) {
  const [, select] = useSelection();
  const inside = (
    <span className="flex items-baseline gap-2">
      <span className="relative top-[1px]">
        <VerdictMark verdict={claim.verdict} size={11} />
      </span>
      <span className="min-w-0 flex-1">{claim.says}</span>
      {claim.evidence.against > 0 && (
        <span className="num shrink-0 font-semibold text-vermilion">{count(claim.evidence.against)}</span>
      )}
      {claim.weight === 'warns' && claim.verdict === 'broken' && (
        <span className="shrink-0 text-[11px] text-soft">warns</span>
      )}
    </span>
  );
  if (plain) return inside;
  return (
    <li>
      <button
        className="rowlink py-[3px]"
        onClick={() => select({ kind: 'claim', name: claim.id })}
        title={`${count(claim.evidence.checked)} checked`}
      >
        {inside}
      </button>
    </li>
  );
}

/** A claim with its evidence, its remedies and its waiver. */
export function ClaimCard({ claim }: { claim: JudgedClaim }) {
  const { evidence } = claim;
  return (
    <article className="border-b border-rule px-4 py-3 last:border-b-0" aria-label={claim.id}>
      <header className="flex items-baseline gap-2">
        <span className="relative top-[2px]">
          <VerdictMark verdict={claim.verdict} size={13} />
        </span>
        <div className="min-w-0 flex-1">
          <h3 className="font-serif text-[14px] leading-5">{claim.says}</h3>
          {claim.verdict === 'broken' && claim.found !== undefined && (
            <p className="text-vermilion">{claim.found}</p>
          )}
          <p className="flex flex-wrap gap-x-3 text-[12px] text-soft">
            <code className="break-all">{claim.id}</code>
            {claim.verdict === 'broken' && (
              <span>{claim.weight === 'blocks' ? 'blocks a release' : 'warns'}</span>
            )}
            {evidence.checked > 0 && <span>{count(evidence.checked)} checked</span>}
            {evidence.against > 0 && (
              <span className="font-semibold text-vermilion">{many(evidence.against, 'violation')}</span>
            )}
            {evidence.distinct !== undefined && evidence.distinct > 0 && (
              <span>{many(evidence.distinct, 'distinct value')}</span>
            )}
          </p>
        </div>
      </header>
      {(evidence.notes ?? []).map((note) => (
        <p key={note} className="mt-1 pl-[21px]">
          {note}
        </p>
      ))}
      <Sample claim={claim} />
      {claim.verdict === 'broken' && <Remedies claim={claim} />}
      {claim.waiver && <WaiverLine claim={claim} />}
    </article>
  );
}

/** The offending values, each with its rows and where they stand in the file. */
function Sample({ claim }: { claim: JudgedClaim }) {
  const { tell, fail } = useModel();
  const sample = claim.evidence.sample ?? [];
  if (sample.length === 0) return null;
  const columns = [...new Set(sample.flatMap((s) => Object.keys(s.values)))];
  const hasLines = sample.some((s) => s.lines?.length);
  const copy = () => {
    const lines = [
      [...columns, 'rows', 'lines'],
      ...sample.map((s) => [...columns.map((c) => cellText(s.values[c])), s.rows, (s.lines ?? []).join(' ')]),
    ];
    void navigator.clipboard
      .writeText(lines.map((l) => l.join('\t')).join('\n'))
      .then(() => tell({ tone: 'plain', text: 'Sample copied to the clipboard' }), fail);
  };
  return (
    <div className="mt-2 pl-[21px]">
      <div className="max-h-[230px] overflow-auto border border-rule">
        <table className="grid-plain">
          <thead>
            <tr>
              {columns.map((name) => (
                <th key={name} scope="col">
                  {name}
                </th>
              ))}
              <th scope="col" className="num">
                rows
              </th>
              {hasLines && <th scope="col">lines of the file</th>}
            </tr>
          </thead>
          <tbody>
            {sample.map((s, i) => (
              <tr key={i}>
                {columns.map((name) => (
                  <td
                    key={name}
                    className={`max-w-[260px] min-w-[86px] tabular-nums ${String(s.values[name]).length > 20 ? 'break-words' : 'whitespace-nowrap'}`}
                  >
                    {s.values[name] === null || s.values[name] === undefined ? (
                      <i className="text-soft">null</i>
                    ) : (
                      cellText(s.values[name])
                    )}
                  </td>
                ))}
                <td className="num">{count(s.rows)}</td>
                {hasLines && (
                  <td className="text-soft tabular-nums">
                    {(s.lines ?? []).join(', ')}
                    {s.rows > (s.lines?.length ?? 0) && s.lines?.length ? ' …' : ''}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <button className="btn btn-bare mt-1 text-soft" onClick={copy}>
        Copy the sample
      </button>
    </div>
  );
}

function Remedies({ claim }: { claim: JudgedClaim }) {
  const [selection] = useSelection();
  const [waiving, setWaiving] = useState(false);
  return (
    <div className="mt-2 pl-[21px]">
      <RemedyList claim={claim} open={selection?.kind === 'claim' && selection.name === claim.id} />
      {waiving ? (
        <WaiverForm claim={claim} onDone={() => setWaiving(false)} />
      ) : (
        <button className="btn btn-bare -ml-[6px] text-violet" onClick={() => setWaiving(true)}>
          Waive …
        </button>
      )}
    </div>
  );
}

function WaiverForm({ claim, onDone }: { claim: JudgedClaim; onDone: () => void }) {
  const { edit } = useModel();
  const [reason, setReason] = useState('');
  const [author, setAuthor, keepAuthor] = useAuthor();
  const [until, setUntil] = useState('');
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-l-2 border-violet py-1 pl-3"
      onSubmit={(event) => {
        event.preventDefault();
        const by = keepAuthor();
        const value = {
          claim: claim.ref,
          reason: reason.trim(),
          ...(by ? { author: by } : {}),
          ...(until ? { until } : {}),
        };
        void edit([{ do: 'waive', value }], `waive ${claim.id}`).then((done) => done && onDone());
      }}
    >
      <input
        className="field min-w-[200px] flex-1"
        autoFocus
        value={reason}
        onChange={(e) => setReason(e.target.value)}
        placeholder="Reason"
        aria-label="Reason of the waiver"
      />
      <input
        className="field w-[110px]"
        value={author}
        onChange={(e) => setAuthor(e.target.value)}
        placeholder="Author"
        aria-label="Author of the waiver"
      />
      <label className="text-soft">
        until <input type="date" className="field" value={until} onChange={(e) => setUntil(e.target.value)} />
      </label>
      <button className="btn" disabled={reason.trim() === ''}>
        Waive
      </button>
      <button type="button" className="btn btn-bare" onClick={onDone}>
        Cancel
      </button>
    </form>
  );
}

function WaiverLine({ claim }: { claim: JudgedClaim }) {
  const { edit } = useModel();
  const waiver = claim.waiver!;
  return (
    <p className="mt-2 flex items-baseline gap-3 border-l-2 border-violet pl-3">
      <span className="min-w-0 flex-1">
        Waived: {waiver.reason}
        {(waiver.author || waiver.until) && (
          <span className="text-soft">
            {' '}
            ({[waiver.author, waiver.until && `until ${waiver.until}`].filter(Boolean).join(', ')})
          </span>
        )}
      </span>
      <button
        className="btn btn-bare"
        onClick={() =>
          void edit([{ do: 'end-waiver', claim: waiver.claim }], `remove the waiver of ${claim.id}`)
        }
      >
        Remove waiver
      </button>
    </p>
  );
}
