import type { ReactNode } from 'react';
import { sameName } from '@crease/core/model';

/** A column of the rows at a step. */
export interface StateColumn {
  readonly name: string;
  readonly type: string;
}

/** An editor that writes the formula of a column. */
export interface WriterProps {
  readonly columns: readonly StateColumn[];
  /** `name` is what the column may be called. */
  readonly onWrite: (formula: string, name: string) => void;
  readonly onClose: () => void;
}

export function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="w-[92px] shrink-0 text-soft">{label}</span>
      {children}
    </div>
  );
}

export function Choice({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: readonly string[];
  onChange: (value: string) => void;
}) {
  return (
    <select className="field" aria-label={label} value={value} onChange={(e) => onChange(e.target.value)}>
      {!options.includes(value) && <option value={value}>{value === '' ? 'choose …' : value}</option>}
      {options.map((o) => (
        <option key={o}>{o}</option>
      ))}
    </select>
  );
}

/** Several of many names. */
export function Checks({
  label,
  names,
  chosen,
  onChange,
}: {
  label: string;
  names: readonly string[];
  chosen: readonly string[];
  onChange: (names: string[]) => void;
}) {
  const has = (name: string) => chosen.some((c) => sameName(c, name));
  return (
    <fieldset className="grid grid-cols-[92px_1fr] gap-2" aria-label={label}>
      <span className="text-soft" aria-hidden>
        {label}
      </span>
      <span className="flex max-h-[150px] flex-wrap gap-x-3 gap-y-1 overflow-auto">
        {names.map((name) => (
          <label key={name} className="flex items-center gap-1">
            <input
              type="checkbox"
              checked={has(name)}
              onChange={(e) =>
                onChange(e.target.checked ? [...chosen, name] : chosen.filter((c) => !sameName(c, name)))
              }
            />
            {name}
          </label>
        ))}
      </span>
    </fieldset>
  );
}
