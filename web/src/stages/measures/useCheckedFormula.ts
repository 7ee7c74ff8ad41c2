import { useEffect, useState } from 'react';
import type { FormulaState } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';

const PAUSE_MS = 180;

/** What the server says of a formula that is typed, after a pause; `name` is the measure that it is of. */
export function useCheckedFormula(
  { formula, via }: { formula: string; via?: string | undefined },
  name: string | undefined,
): FormulaState | undefined {
  const { id, fail, state } = useModel();
  const [checked, setChecked] = useState<FormulaState>();
  useEffect(() => {
    if (formula.trim() === '') return;
    const controller = new AbortController();
    const body = { formula, ...(name === undefined ? {} : { name }), ...(via === undefined ? {} : { via }) };
    const timer = setTimeout(() => {
      ask(api.questions.formula, { id }, body, controller.signal).then(setChecked).catch(fail);
    }, PAUSE_MS);
    return () => {
      clearTimeout(timer);
      controller.abort();
    };
  }, [formula, via, id, name, fail, state.revision.id]);
  return checked;
}
