import { quoteName } from '@crease/core/formula';
import type { StateColumn } from '../fields.tsx';

/** A row formula, with the columns that it may use a click away. */
export function FormulaField({
  label,
  value,
  columns,
  onChange,
}: {
  label: string;
  value: string;
  columns: readonly StateColumn[];
  onChange: (text: string) => void;
}) {
  return (
    <span className="flex min-w-[260px] flex-1 flex-col gap-1">
      <textarea
        className="field code w-full"
        rows={Math.min(6, Math.max(1, value.split('\n').length))}
        aria-label={label}
        spellCheck={false}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
      <select
        className="field h-[24px] w-[150px] text-[12px]"
        value=""
        aria-label={`Add a column to the ${label.toLowerCase()}`}
        onChange={(e) =>
          onChange(
            `${value === 'true' || value === 'null' ? '' : value}${value === '' ? '' : ' '}${quoteName(e.target.value)}`.trimStart(),
          )
        }
      >
        <option value="">Add column …</option>
        {columns.map((c) => (
          <option key={c.name} value={c.name}>
            {c.name} · {c.type}
          </option>
        ))}
      </select>
    </span>
  );
}
