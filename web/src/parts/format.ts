import { noValueText } from '@crease/core/interchange';
import type { ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { numberFormat } from './numberText.ts';

export const isNumeric = (type: string): boolean => /^(integer|decimal|double)/.test(type);

/**
 * A value of an answer as a reader sees it: by its type, in the measure's format and the browser's locale.
 * Exact strings stay exact, a text stays as it is, a null is the format's text for it, by default the empty
 * one.
 */
export function formatValue(value: AnswerMember, type: string, format: ValueFormat = {}): string {
  if (value === null) return format.null ?? '';
  if (typeof value === 'object') return noValueText(value);
  if (typeof value === 'boolean') return value ? 'true' : 'false';
  if (format.pattern !== undefined && (type === 'date' || type === 'timestamp'))
    return byPattern(String(value), format.pattern);
  if (type === 'timestamp') return formatTimestamp(String(value));
  return isNumeric(type) ? formatNumber(value, type, format) : String(value);
}

/** ISO 8601 with a blank in place of the T that parts the day from the time. */
const formatTimestamp = (iso: string): string => iso.replace(/^([+-]?\d+-\d\d-\d\d)T/, '$1 ');

/** A day or a moment of ISO 8601 by a pattern of its parts; text in single quotes stands for itself. */
function byPattern(iso: string, pattern: string): string {
  const [, year = '', month = '', day = '', hour = '00', minute = '00', second = '00'] =
    /^(\d+)-(\d\d)-(\d\d)(?:[T ](\d\d):(\d\d):(\d\d))?/.exec(iso) ?? [];
  if (year === '') return iso;
  const name = () =>
    new Date(Date.UTC(2026, Number(month) - 1, 1)).toLocaleString(undefined, {
      month: 'short',
      timeZone: 'UTC',
    });
  const parts: Readonly<Record<string, () => string>> = {
    yyyy: () => year,
    yy: () => year.slice(-2),
    MMM: name,
    MM: () => month,
    M: () => String(Number(month)),
    dd: () => day,
    d: () => String(Number(day)),
    HH: () => hour,
    mm: () => minute,
    ss: () => second,
  };
  return pattern.replace(/'([^']*)'|yyyy|yy|MMM|MM|M|dd|d|HH|mm|ss/g, (found, quoted: string | undefined) =>
    quoted === undefined ? parts[found]!() : quoted,
  );
}

/** Letters of scales. */
const SCALES: Readonly<Record<number, string>> = { 1000: 'k', 1_000_000: 'M' };

function formatNumber(value: number | string, type: string, format: ValueFormat): string {
  const isNegative = Number(value) < 0;
  if (format.duration !== undefined) return signed(durationText(Math.abs(Number(value))), isNegative, format);
  const isScaled = format.percent === true || format.scale !== undefined;
  const number = isScaled ? (Number(value) * (format.percent ? 100 : 1)) / (format.scale ?? 1) : value;
  const isExact = typeof number === 'string';
  const decimals =
    format.decimals ??
    (isExact
      ? (String(number).split('.')[1]?.length ?? 0)
      : format.scale !== undefined
        ? 1
        : type.startsWith('double')
          ? undefined
          : 0);
  const options: Intl.NumberFormatOptions = {
    useGrouping: format.thousands ?? false,
    signDisplay: 'never',
    ...(decimals === undefined
      ? { maximumSignificantDigits: 6 }
      : { minimumFractionDigits: decimals, maximumFractionDigits: decimals }),
  };
  // Intl takes decimal strings and keeps all their digits.
  const text = numberFormat(options).format(number as unknown as number);
  const scaled = `${text}${format.scale ? ` ${SCALES[format.scale]!}` : ''}${format.percent ? ' %' : ''}`;
  const isZero = !/[1-9]/.test(text);
  const unit = format.unit ?? '';
  const withUnit = unit === '' ? scaled : format.unitBefore ? `${unit} ${scaled}` : `${scaled} ${unit}`;
  return signed(withUnit, isNegative && !isZero, format);
}

const signed = (text: string, isNegative: boolean, { negative }: ValueFormat): string =>
  !isNegative ? text : negative === 'brackets' ? `(${text})` : `-${text}`;

/** Minutes as hours and minutes. */
function durationText(minutes: number): string {
  const whole = Math.round(minutes);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`;
}

/** A member of an attribute as a reader sees it; null is said in words. */
export const memberText = (value: AnswerMember, type: string): string =>
  value === null ? 'null' : formatValue(value, type);
