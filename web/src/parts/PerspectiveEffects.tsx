import { useMemo } from 'react';
import { perspectiveEffects } from '@crease/core/claims';
import type { Edit } from '@crease/core/edit';
import { applyEdit, EditError } from '@crease/core/edit';
import type { Model } from '@crease/core/model';
import { useModel } from '../state/model.tsx';
import { VerdictMark } from './Marks.tsx';

/** So many things are named of one kind. */
const NAMED = 5;

/** What an edit does to each perspective, before it is made; nothing where it does nothing to any. */
export function PerspectiveEffects({ edit }: { edit: Edit }) {
  const { whole } = useModel();
  const key = JSON.stringify(edit);
  const lines = useMemo(() => effectLines(whole, JSON.parse(key) as Edit), [whole, key]);
  if (lines.length === 0) return null;
  return (
    <ul className="mt-1" aria-label="Effect on perspectives">
      {lines.map(({ text, breaks }) => (
        <li key={text} className="flex items-baseline gap-2">
          {breaks && <VerdictMark verdict="broken" size={10} />}
          <span>{text}</span>
        </li>
      ))}
    </ul>
  );
}

interface EffectLine {
  readonly text: string;
  readonly breaks: boolean;
}

/** Effects in words, one line for each perspective and kind; none for an edit that is refused. */
export function effectLines(model: Model, edit: Edit): EffectLine[] {
  if ((model.perspectives ?? []).length === 0) return [];
  let after: Model;
  try {
    after = applyEdit(model, edit);
  } catch (error) {
    if (error instanceof EditError) return [];
    throw error;
  }
  // Under another name it is still shown.
  const renamed = new Set(edit.flatMap((e) => (e.do === 'rename' ? [...Object.values(e.of), e.to] : [])));
  return perspectiveEffects(model, after).flatMap(({ perspective, removed, loses, gains, breaks, mends }) => {
    const line = (verb: string, list: readonly string[], isBreak = false): EffectLine[] =>
      list.length === 0 ? [] : [{ text: `${perspective} ${verb} ${named(list)}`, breaks: isBreak }];
    return [
      ...(removed ? [{ text: `${perspective} is removed`, breaks: false }] : []),
      ...line(
        'loses',
        loses.filter((name) => !renamed.has(name)),
      ),
      ...line(
        'gains',
        gains.filter((name) => !renamed.has(name)),
      ),
      ...line('breaks:', breaks, true),
      ...line('is mended:', mends),
    ];
  });
}

const named = (list: readonly string[]): string =>
  `${list.slice(0, NAMED).join(', ')}${list.length > NAMED ? ` and ${list.length - NAMED} more` : ''}`;
