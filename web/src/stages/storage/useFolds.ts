import { useState } from 'react';
import { api } from '@crease/contract';
import type { Advice, FoldsMeasured } from '@crease/core/storage';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAsked } from '../../state/useAsked.ts';

export interface Folds {
  readonly chosen: readonly Advice[];
  readonly isChosen: (advice: Advice) => boolean;
  readonly turn: (advice: Advice) => void;
  readonly clear: () => void;
  /** What all chosen ones make together; undefined while it is measured. */
  readonly measured: FoldsMeasured | undefined;
  readonly isMeasuring: boolean;
  readonly error: Error | undefined;
}

const keyOf = (advice: Advice): string => JSON.stringify(advice.fold);

/**
 * Advice that is set as folds: all that are chosen are measured together on the rows, before any is applied.
 */
export function useFolds(): Folds {
  const { id, state } = useModel();
  const [chosen, setChosen] = useState<readonly Advice[]>([]);
  const folds = chosen.map((a) => a.fold);
  const asked = useAsked(
    chosen.length === 0 ? undefined : ['folds', id, state.revision.id],
    folds,
    (question, signal) => ask(api.storage.folds, { id }, { folds: [...question] }, signal),
  );
  const isChosen = (advice: Advice) => chosen.some((a) => keyOf(a) === keyOf(advice));
  return {
    chosen,
    isChosen,
    turn: (advice) =>
      setChosen((all) => {
        const others = all.filter((a) => keyOf(a) !== keyOf(advice));
        if (others.length < all.length) return others;
        // Of one column one thing is done at a time; an order of rows goes with any.
        const stay = all.filter(
          (a) => a.column !== advice.column || a.fold.do === 'sort' || advice.fold.do === 'sort',
        );
        return [...stay, advice];
      }),
    clear: () => setChosen([]),
    measured: asked.isCurrent ? asked.answer : undefined,
    isMeasuring: asked.isAsking,
    error: asked.error,
  };
}
