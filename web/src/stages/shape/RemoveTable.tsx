import { useState } from 'react';
import { FormulaChecker } from '@crease/core/formula';
import type { Table } from '@crease/core/model';
import { dependentsOf, withoutTable } from '@crease/core/stars';
import { ImpactOfEdit } from '../../parts/ImpactOfEdit.tsx';
import { PerspectiveEffects } from '../../parts/PerspectiveEffects.tsx';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';

const MOST_NAMED = 14;

/** Takes a table out of the model, after one has read what hangs on it. */
export function RemoveTable({ table }: { table: Table }) {
  const { model, edit } = useModel();
  const [, select] = useSelection();
  const [asked, setAsked] = useState(false);
  if (!asked) {
    return (
      <p className="border-t border-rule px-4 py-2">
        <button className="btn btn-bare h-[24px]" onClick={() => setAsked(true)}>
          Remove {table.name} from the model …
        </button>
      </p>
    );
  }
  const dependents = dependentsOf(new FormulaChecker(model), table.name);
  const of = (...kinds: (typeof dependents)[number]['kind'][]) =>
    dependents.filter((h) => kinds.includes(h.kind));
  const [goes, stays] = [of('relationship', 'hierarchy'), of('measure', 'derived table')];
  const names = (list: typeof dependents) =>
    `${list
      .slice(0, MOST_NAMED)
      .map((h) => h.name)
      .join(', ')}${list.length > MOST_NAMED ? ` and ${list.length - MOST_NAMED} more` : ''}`;
  const remove = async () => {
    if (await edit(withoutTable(model, table.name), `removed ${table.name}`)) select(undefined);
  };
  return (
    <div role="alert" className="mx-4 my-2 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
      {dependents.length === 0 && <p>{table.name} is not used anywhere.</p>}
      {goes.length > 0 && <p>Also deleted: {names(goes)}.</p>}
      {stays.length > 0 && <p className="mt-1">Broken without it: {names(stays)}.</p>}
      <PerspectiveEffects edit={withoutTable(model, table.name)} />
      <ImpactOfEdit edit={withoutTable(model, table.name)} />
      <p className="mt-1">Undo restores it with its rows.</p>
      <p className="mt-2 flex gap-2">
        <button className="btn" onClick={() => void remove()}>
          Remove {table.name}
        </button>
        <button className="btn btn-bare" onClick={() => setAsked(false)}>
          Cancel
        </button>
      </p>
    </div>
  );
}
