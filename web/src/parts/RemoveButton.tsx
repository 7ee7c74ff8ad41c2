import { useState } from 'react';
import type { ReactNode } from 'react';
import type { Edit } from '@crease/core/edit';
import { useModel } from '../state/model.tsx';
import { ImpactOfEdit } from './ImpactOfEdit.tsx';
import { effectLines, PerspectiveEffects } from './PerspectiveEffects.tsx';

/**
 * Removes something at once, since it can be undone; where perspectives lose it or break, one reads that
 * first.
 */
export function RemoveButton({
  edit: removal,
  says,
  onDone,
  children,
  className = 'btn',
  label,
}: {
  edit: Edit;
  says: string;
  onDone?: () => void;
  children: ReactNode;
  className?: string;
  label?: string;
}) {
  const { whole, edit } = useModel();
  const [asks, setAsks] = useState(false);
  const remove = () => void edit(removal, says).then((done) => done && onDone?.());
  if (!asks)
    return (
      <button
        className={className}
        aria-label={label}
        title={label}
        onClick={() => (effectLines(whole, removal).length > 0 ? setAsks(true) : remove())}
      >
        {children}
      </button>
    );
  return (
    <div role="alert" className="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2 text-left">
      <PerspectiveEffects edit={removal} />
      <ImpactOfEdit edit={removal} />
      <p className="mt-2 flex gap-2">
        <button className="btn" autoFocus onClick={remove}>
          Remove
        </button>
        <button className="btn btn-bare" onClick={() => setAsks(false)}>
          Cancel
        </button>
      </p>
    </div>
  );
}
