import { noValueText } from '@crease/core/interchange';
import type { ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';

export const isNumeric = (type: string): boolean => /^(integer|decimal|double)/.test(type);

/**
 * A value of an answer as a reader sees it: by its type, in the measure's format and the browser's locale.
 * Exact strings stay exact, a text stays as it is, a null is the empty text.
 */
export function formatValue(value: AnswerMember, type: string, format: ValueFormat = {}): string {
  if (value === null) return '';
  if (typeof value === 'object') return noValueText(value);
  if (typeof value === 'boolean') return value ? 'true' : 'false';
  if (type === 'timestamp') return formatTimestamp(String(value));
  return isNumeric(type) ? formatNumber(value, type, format) : String(value);
}

/** ISO 8601 with a blank in place of the T that parts the day from the time. */
const formatTimestamp = (iso: string): string => iso.replace(/^([+-]?\d+-\d\d-\d\d)T/, '$1 ');

function formatNumber(value: number | string, type: string, format: ValueFormat): string {
  const scaled = format.percent ? Number(value) * 100 : value;
  const isExact = typeof scaled === 'string';
  const decimals =
    format.decimals ??
    (isExact ? (String(scaled).split('.')[1]?.length ?? 0) : type.startsWith('double') ? undefined : 0);
  const options: Intl.NumberFormatOptions = {
    useGrouping: format.thousands ?? false,
    ...(decimals === undefined
      ? { maximumSignificantDigits: 6 }
      : { minimumFractionDigits: decimals, maximumFractionDigits: decimals }),
  };
  // Intl takes decimal strings and keeps all their digits.
  const text = new Intl.NumberFormat(undefined, options).format(scaled as unknown as number);
  return `${text}${format.percent ? ' %' : ''}${format.unit ? ` ${format.unit}` : ''}`;
}

/** A member of an attribute as a reader sees it; null is said in words. */
export const memberText = (value: AnswerMember, type: string): string =>
  value === null ? 'null' : formatValue(value, type);
