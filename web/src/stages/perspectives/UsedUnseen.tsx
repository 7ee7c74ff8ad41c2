import { api } from '@crease/contract';
import type { Perspective } from '@crease/core/model';
import { sameName, showMore } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { count, many } from '../../parts/text.ts';
import { usedUnseen } from './objects.ts';

const MOST = 12;

/** What the measures of an audience are made of and it does not see: that is fine, and worth knowing. */
export function UsedUnseen({ perspective }: { perspective: Perspective }) {
  const { id, state, edit } = useModel();
  const { data } = useAnswer(
    api.questions.formulaUses,
    { id },
    { of: state.revision.id, keepPreviousData: true },
  );
  const unseen = usedUnseen(perspective, data?.measures ?? []);
  if (unseen.length === 0) return null;
  const show = (columns: readonly string[]) =>
    void edit(
      (newest) =>
        (newest.perspectives ?? [])
          .filter((p) => sameName(p.name, perspective.name))
          .map((p) => ({ do: 'put-perspectives', name: p.name, value: showMore(p, 'columns', columns) })),
      `show ${many(columns.length, 'column')} to ${perspective.name}`,
    );
  return (
    <section aria-label="Used but not shown" className="border-b border-rule px-4 py-3">
      <header className="flex items-baseline gap-3">
        <h2 className="text-[14px]">Used but not shown</h2>
        <span className="flex-1" />
        <button className="btn" onClick={() => show(unseen.map((u) => u.column))}>
          Show all {count(unseen.length)}
        </button>
      </header>
      <ul className="mt-1">
        {unseen.slice(0, MOST).map(({ column, measures }) => (
          <li key={column} className="flex items-baseline gap-2 py-[2px]">
            <span className="min-w-0 flex-1 truncate" title={measures.join(', ')}>
              {column} <span className="text-soft">by {measures.join(', ')}</span>
            </span>
            <button className="btn btn-bare" aria-label={`Show ${column}`} onClick={() => show([column])}>
              Show
            </button>
          </li>
        ))}
      </ul>
      {unseen.length > MOST && <p className="text-soft">and {count(unseen.length - MOST)} more</p>}
    </section>
  );
}
