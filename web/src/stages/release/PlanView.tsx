import { useState } from 'react';
import type { ReleasePlan } from '@crease/contract';
import { count } from '../../parts/text.ts';

/** What a release would do, object by object, with its statements, and what speaks against it. */
export function PlanView({ plan, isCurrent }: { plan: ReleasePlan; isCurrent: boolean }) {
  const [showsKept, setShowsKept] = useState(false);
  const kept = plan.items.filter((item) => item.action === 'keep').length;
  const shown = plan.items.filter((item) => showsKept || item.action !== 'keep');
  const loses = shown.some((item) => item.loses !== undefined);
  const sql = plan.items.flatMap((item) => item.sql);
  return (
    <div aria-busy={!isCurrent}>
      <Notes title="Cannot be done" texts={plan.refusals} isBad />
      <Notes title="Changed there since the last release" texts={plan.drift} isBad />
      {shown.length === 0 && <p>Nothing at the target differs: a release would only be recorded.</p>}
      {shown.length > 0 && (
        <div
          className="max-h-[380px] overflow-auto"
          tabIndex={0}
          role="group"
          aria-label="Objects of the plan"
        >
          <table className="grid-plain" aria-label="Plan">
            <thead>
              <tr>
                <th scope="col">object</th>
                <th scope="col">what happens</th>
                <th scope="col" className="num">
                  rows brought
                </th>
                {loses && <th scope="col">what is lost</th>}
              </tr>
            </thead>
            <tbody>
              {shown.map((item) => (
                <tr key={item.object}>
                  <td className="code">{item.object}</td>
                  <td>{item.action}</td>
                  <td className="num">{item.rows === undefined ? '' : count(item.rows)}</td>
                  {loses && <td className="text-vermilion">{item.loses ?? ''}</td>}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {kept > 0 && (
        <button className="btn btn-bare mt-1 h-[24px]" onClick={() => setShowsKept(!showsKept)}>
          {showsKept
            ? 'Hide what stays'
            : `${count(kept)} ${kept === 1 ? 'object stays' : 'objects stay'} as they are: show`}
        </button>
      )}
      <Notes
        title="Constraints left out, because rows do not keep them"
        texts={plan.omitted.map(({ what, claim }) => `${what} (${claim})`)}
      />
      <Notes title="Notes" texts={plan.notes} />
      {sql.length > 0 && (
        <details className="mt-2">
          <summary className="cursor-pointer">Statements</summary>
          <pre
            className="code mt-1 max-h-[260px] overflow-auto border border-rule bg-paper p-2"
            aria-label="Statements"
          >
            {sql.map((text) => `${text};`).join('\n\n')}
          </pre>
        </details>
      )}
    </div>
  );
}

function Notes({
  title,
  texts,
  isBad = false,
}: {
  title: string;
  texts: readonly string[];
  isBad?: boolean;
}) {
  if (texts.length === 0) return null;
  return (
    <div
      className={`my-2 border-l-4 px-3 py-1 ${isBad ? 'border-vermilion bg-vermilion-wash' : 'border-rule'}`}
    >
      <b>{title}</b>
      <ul>
        {texts.map((text) => (
          <li key={text}>{text}</li>
        ))}
      </ul>
    </div>
  );
}
