import type { ValueFormat } from '@crease/core/model';

/** A value of an answer as a reader sees it: in the measure's format and the browser's locale. Exact strings stay exact. */
export function formatValue(value: null | boolean | number | string, type: string, format: ValueFormat = {}): string {
  if (value === null) return '';
  if (typeof value === 'boolean') return value ? 'true' : 'false';
  if (!/^(integer|decimal|double)/.test(type)) return String(value).replace('T', ' ');
  const scaled = format.percent ? Number(value) * 100 : value;
  const isExact = typeof scaled === 'string';
  const decimals = format.decimals ?? (isExact ? (String(scaled).split('.')[1]?.length ?? 0) : type.startsWith('double') ? undefined : 0);
  const options: Intl.NumberFormatOptions = {
    useGrouping: format.thousands ?? false,
    ...(decimals === undefined ? { maximumSignificantDigits: 6 } : { minimumFractionDigits: decimals, maximumFractionDigits: decimals }),
  };
  // Intl takes decimal strings and keeps all their digits.
  const text = new Intl.NumberFormat(undefined, options).format(scaled as unknown as number);
  return `${text}${format.percent ? ' %' : ''}${format.unit ? ` ${format.unit}` : ''}`;
}

export const isNumeric = (type: string): boolean => /^(integer|decimal|double)/.test(type);
