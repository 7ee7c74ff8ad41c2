import { useRef, useState } from 'react';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { bytes, percent } from '../../parts/text.ts';
import { bytesTyped } from './bytesTyped.ts';

/** The bytes that a table, or the whole model, may take: a claim holds it against what it takes. */
export function BudgetField({ table, takes }: { table?: string; takes: number }) {
  const { model, edit, fail } = useModel();
  const [typed, setTyped] = useState<string>();
  /** Escape takes the field away, and with it the focus: what was typed is not kept then. */
  const isGivenUp = useRef(false);
  const own = table === undefined ? model : model.tables.find((t) => sameName(t.name, table));
  const budget = own?.budget?.bytes;
  const what = table ?? 'the model';
  const keep = () => {
    const text = typed?.trim() ?? '';
    setTyped(undefined);
    if (isGivenUp.current) return;
    const next = text === '' ? undefined : bytesTyped(text);
    if (text !== '' && next === undefined)
      return fail(new Error(`"${text}" are no bytes: write a budget like 200 MB, or nothing for none`));
    if (next === budget) return;
    const says = next === undefined ? `no budget for ${what}` : `budget of ${what}: ${bytes(next)}`;
    void edit((newest) => {
      if (table === undefined)
        return [{ do: 'set-model', change: { budget: next === undefined ? null : { bytes: next } } }];
      const now = newest.tables.find((t) => sameName(t.name, table));
      if (!now) return [];
      const { budget: _, ...rest } = now;
      const value = next === undefined ? rest : { ...rest, budget: { bytes: next } };
      return [{ do: 'put-tables', name: now.name, value }];
    }, says);
  };
  if (typed === undefined)
    return (
      <button
        className={`min-h-[24px] text-[12px] underline decoration-dotted ${budget !== undefined && takes > budget ? 'text-vermilion' : 'text-soft'}`}
        title={`Bytes that ${what} may take`}
        onClick={() => {
          isGivenUp.current = false;
          setTyped(budget === undefined ? '' : bytes(budget));
        }}
      >
        {budget === undefined ? 'budget' : `${percent(takes / budget)} of ${bytes(budget)}`}
      </button>
    );
  return (
    <input
      className="field h-[24px] w-[86px]"
      aria-label={`Budget of ${what}`}
      placeholder="200 MB"
      autoFocus
      value={typed}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key !== 'Escape') return;
        isGivenUp.current = true;
        setTyped(undefined);
      }}
    />
  );
}
