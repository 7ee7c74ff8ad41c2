import { useState } from 'react';
import type { ImpactState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import { ask } from '../state/api.ts';
import { useModel } from '../state/model.tsx';
import { useAsked } from '../state/useAsked.ts';
import { formatValue } from './format.ts';
import { impactText } from './impactText.ts';
import { VerdictMark } from './Marks.tsx';
import { many } from './text.ts';

/**
 * What an edit would do to numbers, told before it is made, once somebody asks; nothing is asked while there
 * is no sound one.
 */
export function ImpactOfEdit({ edit }: { edit: Edit | undefined }) {
  const { id, state } = useModel();
  const [isAsked, setIsAsked] = useState(false);
  const key = edit && JSON.stringify(edit);
  const { answer, error, isCurrent } = useAsked(
    isAsked && key !== undefined ? ['impact', id, state.revision.id] : undefined,
    key ?? '',
    (asked, signal) => ask(api.models.impactOfEdit, { id }, { edit: JSON.parse(asked) as Edit }, signal),
  );
  if (!isAsked)
    return (
      <p className="mt-2">
        <button className="btn h-[24px]" disabled={!edit} onClick={() => setIsAsked(true)}>
          What would change?
        </button>
      </p>
    );
  return (
    <section aria-label="What would change" className="mt-2" aria-busy={!isCurrent}>
      <b>What would change</b>
      {error && <p className="text-vermilion">{error.message}</p>}
      {!answer && !error && (
        <p className="text-soft">{edit ? 'Asking before and after …' : 'Waiting for a sound formula.'}</p>
      )}
      {answer && <ImpactList impact={answer} />}
    </section>
  );
}

function ImpactList({ impact }: { impact: ImpactState }) {
  const { measures, questions, listings, same, left, targets } = impact;
  const formats = useModel().measures;
  const said = (name: string, value: string | number | boolean | null) =>
    formatValue(
      value,
      typeof value === 'number' ? 'double' : 'text',
      formats.find((m) => m.name === name)?.format,
    ) || 'null';
  const nothing = measures.length + questions.length + listings.length === 0;
  return (
    <>
      <ul>
        {measures.map(({ name, before, after, fault }) => (
          <li key={name} className="flex items-baseline gap-2">
            {fault !== undefined && <VerdictMark verdict="broken" size={10} />}
            <span>
              <b>{name}</b> in total: {said(name, before)} → {fault ?? said(name, after)}
            </span>
          </li>
        ))}
        {questions.map(({ name, change, fault }) => (
          <li key={name} className="flex items-baseline gap-2">
            {fault !== undefined && <VerdictMark verdict="broken" size={10} />}
            <span>
              <b>{name}</b>: {fault ?? (change && impactText(change))}
            </span>
          </li>
        ))}
        {listings.map(({ name, fault }) => (
          <li key={name} className="flex items-baseline gap-2">
            <VerdictMark verdict="broken" size={10} />
            <span>
              listing <b>{name}</b>: {fault}
            </span>
          </li>
        ))}
      </ul>
      <p className="text-soft">
        {nothing ? 'No number that was tried: ' : ''}
        {many(same.measures, 'measure')} and {many(same.questions, 'kept trial')} that were tried stay the
        same
        {left > 0 && `; ${left} were not tried, for time`}.
        {targets.length > 0 && ` At targets: ${targets.join(', ')}.`}
      </p>
    </>
  );
}
