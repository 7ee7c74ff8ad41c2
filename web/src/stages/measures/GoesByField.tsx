import { useModel } from '../../state/model.tsx';
import { waysOf } from './ways.ts';

/** Which of several relationships to one table a measure goes by: the date of a loan, or of its return. */
export function GoesByField({
  bases,
  via,
  onChange,
}: {
  bases: readonly string[];
  via: string | undefined;
  onChange: (via: string | undefined) => void;
}) {
  const { model } = useModel();
  const ways = waysOf(model, bases);
  if (ways.length === 0 && via === undefined) return null;
  const names = ways.map((r) => r.name);
  return (
    <label className="text-soft">
      goes by{' '}
      <select
        className="field"
        aria-label="Goes by"
        value={via ?? ''}
        onChange={(e) => onChange(e.target.value || undefined)}
      >
        <option value="">the default way</option>
        {[...new Set([...names, ...(via === undefined ? [] : [via])])].map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
    </label>
  );
}
