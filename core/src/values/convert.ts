import type { DataType, Exact, Value } from './types.ts';
import { scaleOf } from './types.ts';
import { compareExact, formatExact, narrow, parseExact, rescale } from './exact.ts';
import { formatDate, formatTimestamp } from './dates.ts';
import { datePattern, DEFAULT_DATE_PATTERN, DEFAULT_TIMESTAMP_PATTERNS } from './pattern.ts';
import { numberPattern } from './numberPattern.ts';
import { compareCountingText, compareText } from './text.ts';

const LARGEST_INTEGER = 2n ** 63n - 1n;
const SMALLEST_INTEGER = -(2n ** 63n);
const BOOLEANS: Record<string, boolean> = {
  true: true,
  t: true,
  yes: true,
  '1': true,
  false: false,
  f: false,
  no: false,
  '0': false,
};
const DOUBLE_PATTERN = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/;

/** How the text of a file is read beyond its type. */
export interface TextReading {
  /**
   * Pattern of dates and timestamps, by default ISO 8601; of numbers, what stands around them (`$0`, `0 %`).
   */
  readonly pattern?: string;
  /** True where a comma stands before the decimals. */
  readonly decimalComma?: boolean;
  /** What stands between groups of three digits: a comma, a point, a blank or an apostrophe. */
  readonly thousands?: string;
}

/**
 * A number's text with a point before its decimals and no groups; undefined where its groups are not of three
 * digits.
 */
export function plainNumber({
  pattern,
  decimalComma,
  thousands,
}: TextReading): (text: string) => string | undefined {
  const around = pattern === undefined ? undefined : numberPattern(pattern);
  if (around) {
    const inside = plainNumber({
      ...(decimalComma === undefined ? {} : { decimalComma }),
      ...(thousands === undefined ? {} : { thousands }),
    });
    return (text) => inside(around.strip(text));
  }
  const withPoint = decimalComma ? (text: string) => text.replace(',', '.') : (text: string) => text;
  if (thousands === undefined) return withPoint;
  const group = thousands.replace(/[.\\]/, '\\$&');
  const grouped = new RegExp(`^[+-]?[1-9]\\d{0,2}(?:${group}\\d{3})+(?:${decimalComma ? ',' : '\\.'}\\d*)?$`);
  return (text) => {
    if (!text.includes(thousands)) return withPoint(text);
    return grouped.test(text) ? withPoint(text.replaceAll(thousands, '')) : undefined;
  };
}

/**
 * A function that reads the text of one cell as the type; it gives undefined where the text is not of the
 * type (a decimal with more digits than declared included). Blanks are not trimmed.
 */
export function textReader(type: DataType, reading: TextReading = {}): (text: string) => Value | undefined {
  const plain = plainNumber(reading);
  const ofNumber = (read: (text: string) => Value | undefined) => (text: string) => {
    const number = plain(text);
    return number === undefined ? undefined : read(number);
  };
  switch (type.kind) {
    case 'text':
      return (text) => text;
    case 'boolean':
      return (text) => BOOLEANS[text.toLowerCase()];
    case 'integer':
      return reading.thousands === undefined && reading.pattern === undefined
        ? readInteger
        : ofNumber(readInteger);
    case 'decimal':
      return ofNumber((text) => readDecimal(text, type.precision, type.scale));
    case 'double':
      return ofNumber((text) => (DOUBLE_PATTERN.test(text) ? Number(text) : undefined));
    case 'date': {
      const pattern = datePattern(reading.pattern ?? DEFAULT_DATE_PATTERN);
      return (text) => pattern?.parseDate(text);
    }
    case 'timestamp': {
      const patterns = (reading.pattern ? [reading.pattern] : DEFAULT_TIMESTAMP_PATTERNS).map((text) =>
        datePattern(text),
      );
      return (text) => {
        for (const pattern of patterns) {
          const value = pattern?.parseTimestamp(text);
          if (value !== undefined) return value;
        }
        return undefined;
      };
    }
  }
}

function readInteger(text: string): Exact | undefined {
  const parsed = parseExact(text);
  if (!parsed || (parsed.scale > 0 && text.includes('.'))) return undefined;
  const wide = BigInt(parsed.value);
  return wide > LARGEST_INTEGER || wide < SMALLEST_INTEGER ? undefined : parsed.value;
}

/** Trailing zeros beyond the scale do not count as digits: 1.500 is a decimal(2,1). */
function readDecimal(text: string, precision: number, scale: number): Exact | undefined {
  const parsed = parseExact(text);
  if (!parsed) return undefined;
  let { value } = parsed;
  let at = parsed.scale;
  while (at > scale) {
    if (BigInt(value) % 10n !== 0n) return undefined;
    value = narrow(BigInt(value) / 10n);
    at--;
  }
  const scaled = rescale(value, at, scale);
  return BigInt(scaled < 0 ? -scaled : scaled).toString().length > precision && scaled !== 0
    ? undefined
    : scaled;
}

/** The value as JSON: integers beyond 2^53 and all decimals as strings, dates in ISO 8601. */
export function toJson(value: Value, type: DataType): null | boolean | number | string {
  if (value === null || typeof value === 'boolean' || typeof value === 'string') return value;
  switch (type.kind) {
    case 'decimal':
      return formatExact(value, type.scale);
    case 'date':
      return formatDate(Number(value));
    case 'timestamp':
      return formatTimestamp(value);
    default:
      return typeof value === 'bigint' ? value.toString() : Number.isFinite(value) ? value : null;
  }
}

/**
 * The inverse of `toJson`, for members given in queries; undefined where the JSON value is not of the type.
 */
export function fromJson(json: unknown, type: DataType): Value | undefined {
  if (json === null) return null;
  if (type.kind === 'text') return typeof json === 'string' ? json : undefined;
  if (type.kind === 'boolean') return typeof json === 'boolean' ? json : undefined;
  if (type.kind === 'double')
    return typeof json === 'number' ? json : typeof json === 'string' ? textReader(type)(json) : undefined;
  if (type.kind === 'integer' || type.kind === 'decimal') {
    if (typeof json !== 'number' && typeof json !== 'string') return undefined;
    const parsed = parseExact(String(json));
    if (!parsed) return undefined;
    // A member with more digits than the type can have is no member, but no error either.
    return parsed.scale > scaleOf(type) &&
      BigInt(parsed.value) % 10n ** BigInt(parsed.scale - scaleOf(type)) !== 0n
      ? undefined
      : rescale(parsed.value, parsed.scale, scaleOf(type));
  }
  return typeof json === 'string' ? textReader(type)(json) : undefined;
}

/** The value as text, as `cast(… as text)` and exports write it; null becomes the empty text. */
export function toText(value: Value, type: DataType): string {
  if (value === null) return '';
  if (type.kind === 'timestamp') return formatTimestamp(value as Exact).replace('T', ' ');
  return String(toJson(value, type));
}

/** Order of two values of one type, nulls last: numbers by value, text by code point, false before true. */
export function compareValues(a: Value, b: Value): number {
  if (a === b) return 0;
  if (a === null) return 1;
  if (b === null) return -1;
  if (typeof a === 'string') return compareText(a, b as string);
  if (typeof a === 'boolean') return a ? 1 : -1;
  return compareExact(a, b as Exact);
}

/** As `compareValues`, but texts as people count. */
export const compareCounting = (a: Value, b: Value): number =>
  typeof a === 'string' && typeof b === 'string' ? compareCountingText(a, b) : compareValues(a, b);
