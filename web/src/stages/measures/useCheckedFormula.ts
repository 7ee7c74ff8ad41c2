import { useEffect, useState } from 'react';
import type { FormulaState } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';

const PAUSE_MS = 180;

/** What the server says, and of which text. */
export interface CheckedText {
  readonly of: string;
  readonly state: FormulaState;
}

/** What the server says of a formula that is typed, after a pause; `name` is the measure that it is of. */
export function useCheckedFormula(
  { formula, via }: { formula: string; via?: string | undefined },
  name: string | undefined,
): CheckedText | undefined {
  const { id, fail, state } = useModel();
  const [checked, setChecked] = useState<CheckedText>();
  useEffect(() => {
    if (formula.trim() === '') return;
    const controller = new AbortController();
    const body = { formula, ...(name === undefined ? {} : { name }), ...(via === undefined ? {} : { via }) };
    const timer = setTimeout(() => {
      ask(api.questions.formula, { id }, body, controller.signal)
        .then((said) => setChecked({ of: formula, state: said }))
        .catch(fail);
    }, PAUSE_MS);
    return () => {
      clearTimeout(timer);
      controller.abort();
    };
  }, [formula, via, id, name, fail, state.revision.id]);
  return checked;
}
