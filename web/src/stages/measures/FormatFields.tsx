import type { ValueFormat } from '@crease/core/model';
import { formatValue } from '../../parts/format.ts';

/** Numbers by which a format is shown. */
const EXAMPLES = ['1234567.891', '-1234.5'] as const;

/** How the values of a measure are shown, with two of them as an example. */
export function FormatFields({
  format,
  onChange,
}: {
  format: ValueFormat;
  onChange: (change: ValueFormat) => void;
}) {
  const check = (field: 'thousands' | 'percent' | 'unitBefore', label: string) => (
    <label className="flex items-center gap-1 text-soft">
      <input
        type="checkbox"
        checked={format[field] ?? false}
        onChange={(e) => onChange({ [field]: e.target.checked || undefined })}
      />{' '}
      {label}
    </label>
  );
  return (
    <>
      <label className="text-soft">
        decimals{' '}
        <input
          type="number"
          min={0}
          max={9}
          className="field w-[56px]"
          value={format.decimals ?? ''}
          onChange={(e) =>
            onChange({
              decimals:
                e.target.value === ''
                  ? undefined
                  : Math.min(15, Math.max(0, Math.floor(Number(e.target.value)))),
            })
          }
        />
      </label>
      {check('thousands', 'thousands')}
      {check('percent', 'per cent')}
      <label className="text-soft">
        unit{' '}
        <input
          className="field w-[56px]"
          value={format.unit ?? ''}
          onChange={(e) => onChange({ unit: e.target.value || undefined })}
        />
      </label>
      {format.unit !== undefined && check('unitBefore', 'before')}
      <label className="text-soft">
        in{' '}
        <select
          className="field"
          aria-label="Scale"
          value={format.scale ?? ''}
          onChange={(e) =>
            onChange({
              scale: e.target.value === '' ? undefined : (Number(e.target.value) as 1000 | 1_000_000),
            })
          }
        >
          <option value="">ones</option>
          <option value={1000}>thousands (k)</option>
          <option value={1_000_000}>millions (M)</option>
        </select>
      </label>
      <label className="text-soft">
        negative{' '}
        <select
          className="field"
          aria-label="Negative numbers"
          value={format.negative ?? 'minus'}
          onChange={(e) => onChange({ negative: e.target.value === 'brackets' ? 'brackets' : undefined })}
        >
          <option value="minus">-1</option>
          <option value="brackets">(1)</option>
        </select>
      </label>
      <label className="text-soft">
        null{' '}
        <input
          className="field w-[56px]"
          aria-label="Text for null"
          value={format.null ?? ''}
          onChange={(e) => onChange({ null: e.target.value || undefined })}
        />
      </label>
      <span className="num whitespace-nowrap text-soft" aria-label="Example of the format">
        {EXAMPLES.map((n) => formatValue(n, 'decimal(12,3)', format)).join('   ')}
      </span>
    </>
  );
}
