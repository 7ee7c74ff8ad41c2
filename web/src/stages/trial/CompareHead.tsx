import { api } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { questionText } from './attributes.ts';
import type { BesideOf } from './useBeside.ts';

interface Props {
  readonly left: Query;
  readonly right: Query;
  readonly of: BesideOf | undefined;
  readonly onOf: (of: BesideOf | undefined) => void;
  readonly onSwap: () => void;
  readonly onEnd: () => void;
}

/** The two questions that are compared, and the revision that the first is asked of. */
export function CompareHead({ left, right, of, onOf, onSwap, onEnd }: Props) {
  const { id, model, state } = useModel();
  const { data: history } = useAnswer(api.models.history, { id });
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule bg-paper px-4 py-2">
      <dl className="min-w-0 flex-1 basis-[240px] text-[12px]">
        {[['A', left] as const, ['B', right] as const].map(([letter, query]) => (
          <div key={letter} className="flex gap-2">
            <dt className="font-semibold">{letter}</dt>
            <dd className="truncate" title={questionText(query, model)}>
              {questionText(query, model)}
            </dd>
          </div>
        ))}
      </dl>
      <label className="flex items-center gap-1">
        A of
        <select
          className="field max-w-[150px]"
          aria-label="Revision of A"
          value={of?.revision ?? ''}
          onChange={(e) =>
            onOf(
              e.target.value === ''
                ? undefined
                : { revision: Number(e.target.value), rows: of?.rows ?? 'then' },
            )
          }
        >
          <option value="">revision {state.revision.number}, now</option>
          {(history ?? [])
            .filter((entry) => entry.id !== state.revision.id)
            .map((entry) => (
              <option key={entry.id} value={entry.id}>
                {entry.number}: {entry.says}
              </option>
            ))}
        </select>
      </label>
      {of && (
        <label
          className="flex items-center gap-1"
          title="With the rows of that time; otherwise on the rows of today"
        >
          <input
            type="checkbox"
            checked={of.rows === 'then'}
            onChange={(e) => onOf({ ...of, rows: e.target.checked ? 'then' : 'now' })}
          />
          with its rows
        </label>
      )}
      <button className="btn" onClick={onSwap}>
        Swap
      </button>
      <button className="btn" onClick={onEnd}>
        End
      </button>
    </div>
  );
}
