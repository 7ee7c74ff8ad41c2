import { api } from '@crease/contract';
import type { Settings } from '@crease/contract';
import { NAMING_RULES } from '@crease/core/reading';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';
import type { Arrival } from './arrival.ts';

/** From so many files on there is a list of them to go to one. */
const LISTED = 4;

/**
 * Above what is on its way in: how columns are named, where each file is, and the import of all that is
 * ready.
 */
export function ArrivalsBar({
  arrivals,
  ready,
  onImport,
  onNaming,
}: {
  arrivals: readonly Arrival[];
  /** How many can be imported as they are. */
  ready: number;
  onImport: () => void;
  onNaming: () => void;
}) {
  const wrong = arrivals.filter((a) => a.state === 'wrong' || a.fault !== undefined).length;
  const coming = arrivals.filter((a) => a.state === 'coming').length;
  return (
    <div
      role="group"
      aria-label="Files to import"
      className="sticky top-0 z-20 flex items-center gap-3 border-b border-rule bg-paper px-4 py-[6px]"
    >
      <span className="text-soft">
        {many(arrivals.length, 'file')}
        {coming > 0 && `, ${coming} being read`}
        {wrong > 0 && <span className="text-vermilion">, {many(wrong, 'fault')}</span>}
      </span>
      {arrivals.length >= LISTED && (
        <select
          className="field w-[150px]"
          aria-label="Go to a file"
          value=""
          onChange={(e) =>
            document.getElementById(anchorOf(e.target.value))?.scrollIntoView({ block: 'start' })
          }
        >
          <option value="">Go to file …</option>
          {arrivals.map((a) => (
            <option key={a.key} value={a.key}>
              {a.file.name}
              {a.state === 'wrong' || a.fault !== undefined ? ' (fault)' : ''}
            </option>
          ))}
        </select>
      )}
      <span className="flex-1" />
      <NamingRules onChange={onNaming} />
      <button className="btn btn-act" disabled={ready === 0} onClick={onImport}>
        Import {many(ready, 'table')}
      </button>
    </div>
  );
}

/** The element of a file's card. */
export const anchorOf = (key: string): string => `file-${key}`;

/** How columns of files are named, in the whole workspace. */
function NamingRules({ onChange }: { onChange: () => void }) {
  const { fail } = useModel();
  const { data, mutate } = useAnswer(api.settings.get, {}, { revalidateOnFocus: true });
  const say = async (naming: Settings['naming']) => {
    try {
      await ask(api.settings.put, {}, { naming });
      await mutate((now) => now && { ...now, naming }, { revalidate: false });
      onChange();
    } catch (error) {
      fail(error);
    }
  };
  return (
    <label
      className="flex items-center gap-1 text-soft"
      title="How columns of imported files are named, in the whole workspace"
    >
      names
      <select
        className="field"
        value={data?.naming ?? 'as they are'}
        onChange={(e) => void say(e.target.value as Settings['naming'])}
        aria-label="Naming of columns"
      >
        {NAMING_RULES.map((rule) => (
          <option key={rule}>{rule}</option>
        ))}
      </select>
    </label>
  );
}
