import { api } from '@crease/contract';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';

/**
 * Types and lengths that would suit a table's columns better, each with its reason, to be taken one by one or
 * all.
 */
export function TypeAdvicePanel({ table }: { table: string }) {
  const { id, edit } = useModel();
  const { data } = useAnswer(api.questions.types, { id });
  const found = (data ?? []).filter((a) => a.table === table);
  if (found.length === 0) return null;
  const types = found.filter((a) => !a.to.startsWith('text'));
  const lengths = found.filter((a) => a.to.startsWith('text'));
  return (
    <details className="border-b border-rule px-4 py-[6px]">
      <summary className="cursor-pointer text-soft">
        {types.length > 0 && (
          <b className="text-ink">{many(types.length, 'column')} could have a better type</b>
        )}
        {types.length > 0 && lengths.length > 0 && ', '}
        {lengths.length > 0 && `${many(lengths.length, 'text')} without a length`}
      </summary>
      <ul className="mt-1">
        {found.map((a) => (
          <li key={a.column} className="flex items-baseline gap-3 py-[2px]">
            <button
              className="btn h-[24px]"
              onClick={() => void edit(a.edit, `set the type of ${a.table}.${a.column} to ${a.to}`)}
            >
              Apply
            </button>
            <b className="w-[112px] truncate">{a.column}</b>
            <span className="w-[132px] whitespace-nowrap">{a.to}</span>
            <span className="flex-1 text-soft">{a.reason}</span>
          </li>
        ))}
      </ul>
      {lengths.length > 1 && (
        <button
          className="btn mt-1 h-[24px]"
          onClick={() =>
            void edit(
              lengths.flatMap((a) => a.edit),
              `give ${many(lengths.length, 'text')} of ${table} a length`,
            )
          }
        >
          Apply all lengths
        </button>
      )}
    </details>
  );
}
