import type { Exact } from './types.ts';
import { checkedDays, timestampOf } from './dates.ts';

/**
 * Date and timestamp patterns, such as `dd.MM.yyyy` or `yyyy-MM-dd HH:mm:ss`.
 * Letters: yyyy, MM or M, dd or d, HH or H, mm, ss, and S… for digits of a second's fraction. Anything else
 * stands for itself, and so does text in single quotes ('' for a quote).
 * Seconds and fractions of a timestamp may be missing in the text only where the pattern has none.
 */
export interface DatePattern {
  readonly text: string;
  readonly hasTime: boolean;
  /** Days since 1970-01-01, or undefined where the text does not follow the pattern or names no day. */
  parseDate(text: string): number | undefined;
  /** Microseconds since 1970-01-01, or undefined likewise. */
  parseTimestamp(text: string): Exact | undefined;
}

const TOKEN = /'(?:[^']|'')*'|yyyy|MM|M|dd|d|HH|H|mm|ss|S+/g;
const GROUPS: Record<string, string> = {
  yyyy: '(?<year>\\d{4})',
  MM: '(?<month>\\d{2})',
  M: '(?<month>\\d{1,2})',
  dd: '(?<day>\\d{2})',
  d: '(?<day>\\d{1,2})',
  HH: '(?<hour>\\d{2})',
  H: '(?<hour>\\d{1,2})',
  mm: '(?<minute>\\d{2})',
  ss: '(?<second>\\d{2})',
};

const compiled = new Map<string, DatePattern | undefined>();

/** Compiles a pattern (kept, so that it is done once); undefined where it lacks a year, a month or a day. */
export function datePattern(text: string): DatePattern | undefined {
  if (!compiled.has(text)) compiled.set(text, compile(text));
  return compiled.get(text);
}

function compile(text: string): DatePattern | undefined {
  let source = '';
  let end = 0;
  const seen = new Set<string>();
  for (const match of text.matchAll(TOKEN)) {
    const token = match[0];
    if (token.startsWith("'")) {
      const literal = token === "''" ? "'" : token.slice(1, -1).replaceAll("''", "'");
      source += escapeLiteral(text.slice(end, match.index) + literal);
      end = match.index + token.length;
      continue;
    }
    const group = token.startsWith('S') ? `(?<fraction>\\d{1,${Math.max(6, token.length)}})` : GROUPS[token]!;
    const name = /<(\w+)>/.exec(group)![1]!;
    if (seen.has(name)) return undefined;
    seen.add(name);
    source += escapeLiteral(text.slice(end, match.index)) + group;
    end = match.index + token.length;
  }
  if (!seen.has('year') || !seen.has('month') || !seen.has('day')) return undefined;
  const expression = new RegExp(`^${source}${escapeLiteral(text.slice(end))}$`);
  const dateOf = (groups: Record<string, string>) =>
    checkedDays(Number(groups.year), Number(groups.month), Number(groups.day));
  return {
    text,
    hasTime: seen.has('hour'),
    parseDate: (input) => {
      const groups = expression.exec(input)?.groups;
      return groups ? dateOf(groups) : undefined;
    },
    parseTimestamp: (input) => {
      const groups = expression.exec(input)?.groups;
      if (!groups) return undefined;
      const days = dateOf(groups);
      const [hour, minute, second] = [
        Number(groups.hour ?? 0),
        Number(groups.minute ?? 0),
        Number(groups.second ?? 0),
      ];
      if (days === undefined || hour > 23 || minute > 59 || second > 59) return undefined;
      const fraction = groups.fraction === undefined ? 0 : Number(groups.fraction.padEnd(6, '0').slice(0, 6));
      return timestampOf(days, ((hour * 60 + minute) * 60 + second) * 1_000_000 + fraction);
    },
  };
}

/**
 * Where the parts of a moment stand that is written with a fixed number of characters, in bytes from 0; -1
 * where a part is missing.
 */
export interface FixedLayout {
  /** By byte of the text: 0 for a digit, else the byte that must stand there. */
  readonly shape: Uint8Array;
  readonly year: number;
  readonly month: number;
  readonly day: number;
  readonly hour: number;
  readonly minute: number;
  readonly second: number;
  /** Of so many digits of a second's fraction. */
  readonly fraction: number;
  readonly digits: number;
}

const FIXED_PARTS: Record<string, Exclude<keyof FixedLayout, 'shape' | 'fraction' | 'digits'>> = {
  yyyy: 'year',
  MM: 'month',
  dd: 'day',
  HH: 'hour',
  mm: 'minute',
  ss: 'second',
};

/**
 * The layout of a pattern whose texts all have the same length, for readers of bytes; undefined for any other
 * pattern. A fraction may be written with other numbers of digits too: such texts do not have the layout, and
 * are read from their text.
 */
export function fixedLayout(text: string): FixedLayout | undefined {
  if (!datePattern(text)) return undefined;
  const shape: number[] = [];
  const places = { year: -1, month: -1, day: -1, hour: -1, minute: -1, second: -1, fraction: -1, digits: 0 };
  let end = 0;
  for (const match of text.matchAll(TOKEN)) {
    const token = match[0];
    const part = token.startsWith('S') && token.length <= 6 ? 'fraction' : FIXED_PARTS[token];
    // One digit or two, digits beyond microseconds, or a quoted literal.
    if (part === undefined) return undefined;
    if (part === 'fraction') places.digits = token.length;
    for (const c of text.slice(end, match.index)) shape.push(c.charCodeAt(0));
    places[part] = shape.length;
    for (let i = 0; i < token.length; i++) shape.push(0);
    end = match.index + token.length;
  }
  for (const c of text.slice(end)) shape.push(c.charCodeAt(0));
  return shape.some((byte) => byte > 127) ? undefined : { shape: Uint8Array.from(shape), ...places };
}

const escapeLiteral = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** Patterns tried for a column without a declared one, the unambiguous first. */
export const DATE_PATTERNS = [
  'yyyy-MM-dd',
  'yyyy/MM/dd',
  'yyyyMMdd',
  'dd.MM.yyyy',
  'dd/MM/yyyy',
  'MM/dd/yyyy',
  'dd-MM-yyyy',
  'd.M.yyyy',
  'd/M/yyyy',
  'M/d/yyyy',
];

const TIMES = ['HH:mm:ss', 'HH:mm', 'HH:mm:ss.SSS'];
const TIMESTAMP_DATES = ['yyyy-MM-dd', 'dd.MM.yyyy', 'dd/MM/yyyy', 'MM/dd/yyyy', 'yyyy/MM/dd'];

export const TIMESTAMP_PATTERNS = TIMESTAMP_DATES.flatMap((day) =>
  TIMES.flatMap((time) => [`${day} ${time}`, `${day}T${time}`]),
);

export const DEFAULT_DATE_PATTERN = 'yyyy-MM-dd';
/** What a timestamp without a declared pattern may look like. */
export const DEFAULT_TIMESTAMP_PATTERNS = [
  'yyyy-MM-dd HH:mm:ss',
  'yyyy-MM-ddTHH:mm:ss',
  'yyyy-MM-dd HH:mm',
  'yyyy-MM-dd HH:mm:ss.SSS',
  'yyyy-MM-ddTHH:mm:ss.SSS',
  'yyyy-MM-dd',
];
