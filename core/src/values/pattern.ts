import type { Exact } from './types.ts';
import { checkedDays, daysFromCivil, splitTimestamp, timestampOf } from './dates.ts';
import { add, multiply } from './exact.ts';
import { monthOf } from './monthNames.ts';

/**
 * Date and timestamp patterns, such as `dd.MM.yyyy` or `yyyy-MM-dd HH:mm:ss`.
 * Letters: yyyy, or yy for years from 1969 to 2068; MM or M, or MMM for a month's name; dd or d, without
 * which it is the first of the month; HH or H, or hh or h with a for AM and PM; mm, ss, and S… for digits of
 * a second's fraction; XXX for an offset (Z, +02:00), which is taken off, so that the moment is in UTC; YYYY
 * with ww for a week of ISO 8601, which stands for its Monday. Anything else stands for itself, and so does
 * text in single quotes ('' for a quote). Seconds and fractions of a timestamp may be missing in the text
 * only where the pattern has none.
 */
export interface DatePattern {
  readonly text: string;
  readonly hasTime: boolean;
  /** Days since 1970-01-01, or undefined where the text does not follow the pattern or names no day. */
  parseDate(text: string): number | undefined;
  /** Microseconds since 1970-01-01, or undefined likewise. */
  parseTimestamp(text: string): Exact | undefined;
}

const TOKEN = /'(?:[^']|'')*'|yyyy|yy|YYYY|MMM|MM|M|dd|d|HH|H|hh|h|mm|ss|S+|a|XXX|ww/g;
const GROUPS: Record<string, string> = {
  yyyy: '(?<year>\\d{4})',
  yy: '(?<shortYear>\\d{2})',
  YYYY: '(?<weekYear>\\d{4})',
  MMM: '(?<monthName>\\p{L}+\\.?)',
  MM: '(?<month>\\d{2})',
  M: '(?<month>\\d{1,2})',
  dd: '(?<day>\\d{2})',
  d: '(?<day>\\d{1,2})',
  HH: '(?<hour>\\d{2})',
  H: '(?<hour>\\d{1,2})',
  hh: '(?<halfHour>\\d{2})',
  h: '(?<halfHour>\\d{1,2})',
  a: '(?<half>[AaPp]\\.?[Mm]\\.?)',
  mm: '(?<minute>\\d{2})',
  ss: '(?<second>\\d{2})',
  XXX: '(?<offset>Z|[+-]\\d{2}(?::?\\d{2})?)',
  ww: '(?<week>\\d{2})',
};

/** The part of a date that a group tells; two groups of one part are a mistake. */
const PARTS: Record<string, string> = {
  shortYear: 'year',
  weekYear: 'year',
  monthName: 'month',
  week: 'month',
  halfHour: 'hour',
};

const compiled = new Map<string, DatePattern | undefined>();

/** Compiles a pattern (kept, so that it is done once); undefined where it lacks a year, a month or a day. */
export function datePattern(text: string): DatePattern | undefined {
  if (!compiled.has(text)) compiled.set(text, compile(text));
  return compiled.get(text);
}

/**
 * Moments that are counted from the beginning of 1970 in UTC, by how many microseconds one is (POSIX time).
 */
export const EPOCH_PATTERNS: Readonly<Record<string, number>> = {
  'epoch seconds': 1_000_000,
  'epoch milliseconds': 1_000,
};

/** Moments as whole numbers of a unit; a fraction of a second has up to six digits. */
function epochPattern(text: string, micros: number): DatePattern {
  const parseTimestamp = (input: string): Exact | undefined => {
    const found = /^(-?)(\d{1,16})(?:\.(\d{1,6})\d*)?$/.exec(input);
    if (!found) return undefined;
    const [, sign, whole, fraction = ''] = found;
    const value = add(
      multiply(Number(whole), micros),
      Math.trunc((Number(fraction.padEnd(6, '0')) * micros) / 1_000_000),
    );
    const moment = sign === '-' ? multiply(value, -1) : value;
    // Years 1 to 9999, as of all moments.
    return BigInt(moment) < EARLIEST || BigInt(moment) > LATEST ? undefined : moment;
  };
  return {
    text,
    hasTime: true,
    parseDate: (input) => {
      const moment = parseTimestamp(input);
      return moment === undefined ? undefined : splitTimestamp(moment).days;
    },
    parseTimestamp,
  };
}
const DAY = 86_400_000_000n;
const EARLIEST = BigInt(daysFromCivil(1, 1, 1)) * DAY;
const LATEST = BigInt(daysFromCivil(9999, 12, 31) + 1) * DAY - 1n;

function compile(text: string): DatePattern | undefined {
  const epoch = EPOCH_PATTERNS[text];
  if (epoch !== undefined) return epochPattern(text, epoch);
  let source = '';
  let end = 0;
  const seen = new Set<string>();
  const groups = new Set<string>();
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
    const part = PARTS[name] ?? name;
    if (seen.has(part)) return undefined;
    seen.add(part);
    groups.add(name);
    source += escapeLiteral(text.slice(end, match.index)) + group;
    end = match.index + token.length;
  }
  // A week belongs to a year of weeks, an hour of twelve to a half of the day.
  if (!seen.has('year') || !seen.has('month') || groups.has('week') !== groups.has('weekYear'))
    return undefined;
  if (groups.has('halfHour') !== groups.has('half') || (groups.has('week') && seen.has('day')))
    return undefined;
  const expression = new RegExp(`^${source}${escapeLiteral(text.slice(end))}$`, 'u');
  return {
    text,
    hasTime: seen.has('hour'),
    parseDate: (input) => {
      const found = expression.exec(input)?.groups;
      return found ? dayOf(found) : undefined;
    },
    parseTimestamp: (input) => {
      const found = expression.exec(input)?.groups;
      if (!found) return undefined;
      const [days, time] = [dayOf(found), timeOf(found)];
      return days === undefined || time === undefined ? undefined : timestampOf(days, time);
    },
  };
}

type Found = Readonly<Record<string, string | undefined>>;

/** Days since 1970-01-01; undefined where there is no such day. */
function dayOf(found: Found): number | undefined {
  if (found.week !== undefined) return mondayOf(Number(found.weekYear), Number(found.week));
  const year = found.shortYear === undefined ? Number(found.year) : fullYear(Number(found.shortYear));
  const month = found.monthName === undefined ? Number(found.month) : monthOf(found.monthName);
  return month === undefined ? undefined : checkedDays(year, month, Number(found.day ?? 1));
}

/** Years of two digits are those from 1969 to 2068, as POSIX has them (`strptime`, %y). */
const fullYear = (short: number): number => short + (short < 69 ? 2000 : 1900);

/** The first day of a week of ISO 8601: the first week of a year is that of its 4 January. */
function mondayOf(year: number, week: number): number | undefined {
  const fourth = checkedDays(year, 1, 4);
  if (fourth === undefined || week < 1 || week > 53) return undefined;
  // 1970-01-01 was a Thursday.
  const monday = fourth - ((((fourth + 3) % 7) + 7) % 7) + (week - 1) * 7;
  // A 53rd week that already is the first one of the year after is none.
  return week === 53 && monday + 3 >= checkedDays(year + 1, 1, 1)! ? undefined : monday;
}

/**
 * Microseconds since the beginning of the day, in UTC where an offset is known; undefined where there is no
 * such time.
 */
function timeOf(found: Found): number | undefined {
  const [minute, second] = [Number(found.minute ?? 0), Number(found.second ?? 0)];
  let hour = Number(found.hour ?? 0);
  if (found.halfHour !== undefined) {
    const half = Number(found.halfHour);
    if (half < 1 || half > 12) return undefined;
    hour = (half % 12) + (/^p/i.test(found.half!) ? 12 : 0);
  }
  if (hour > 23 || minute > 59 || second > 59) return undefined;
  const { fraction } = found;
  const micros = fraction === undefined ? 0 : Number(fraction.padEnd(6, '0').slice(0, 6));
  return ((hour * 60 + minute - minutesOff(found.offset)) * 60 + second) * 1_000_000 + micros;
}

/** How far a time is ahead of UTC. */
function minutesOff(offset: string | undefined): number {
  if (offset === undefined || offset === 'Z') return 0;
  const digits = offset.replace(/\D/g, '').padEnd(4, '0');
  const minutes = Number(digits.slice(0, 2)) * 60 + Number(digits.slice(2));
  return offset.startsWith('-') ? -minutes : minutes;
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
  if (!datePattern(text) || !/d/.test(text.replace(/'(?:[^']|'')*'/g, ''))) return undefined;
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

/** A moment as it is written: days since 1970-01-01, and microseconds of the day. */
export interface WrittenMoment {
  days: number;
  micros: number;
}

/**
 * Reads texts of a layout from their bytes; whether a text has it and names a day and a time. What was read
 * is in `into`, which is used again.
 */
export function fixedReader(
  layout: FixedLayout,
  into: WrittenMoment,
): (text: Uint8Array, length: number) => boolean {
  const { shape } = layout;
  const number = (text: Uint8Array, at: number, digits: number): number => {
    let n = 0;
    for (let i = at; i < at + digits; i++) n = n * 10 + text[i]! - 48;
    return n;
  };
  const at = (text: Uint8Array, place: number) => (place < 0 ? 0 : number(text, place, 2));
  // Texts in order have the same day many times.
  let [year, month, day, days] = [NaN, NaN, NaN, undefined as number | undefined];
  return (text, length) => {
    if (length !== shape.length) return false;
    for (let i = 0; i < length; i++) {
      const byte = text[i]!;
      if (shape[i] === 0 ? byte < 48 || byte > 57 : byte !== shape[i]) return false;
    }
    const [y, m, d] = [number(text, layout.year, 4), at(text, layout.month), at(text, layout.day)];
    if (y !== year || m !== month || d !== day) {
      [year, month, day] = [y, m, d];
      days = checkedDays(y, m, d);
    }
    const [hour, minute, second] = [at(text, layout.hour), at(text, layout.minute), at(text, layout.second)];
    if (days === undefined || hour > 23 || minute > 59 || second > 59) return false;
    const fraction = layout.fraction < 0 ? 0 : number(text, layout.fraction, layout.digits);
    into.days = days;
    into.micros = (hour * 3600 + minute * 60 + second) * 1e6 + fraction * 10 ** (6 - layout.digits);
    return true;
  };
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
  'MM-dd-yyyy',
  'd.M.yyyy',
  'd/M/yyyy',
  'M/d/yyyy',
  'yyyy-M-d',
  'yyyy/M/d',
  'yyyy.MM.dd',
  'dd.MM.yy',
  'dd/MM/yy',
  'MM/dd/yy',
  'd/M/yy',
  'M/d/yy',
  'd MMM yyyy',
  'dd-MMM-yyyy',
  'd-MMM-yyyy',
  'd-MMM-yy',
  'd MMM yy',
  'd. MMM yyyy',
  'MMM d, yyyy',
  'MMM d yyyy',
  'yyyy MMM d',
  'yyyy-MM',
  'yyyy/MM',
  'MM/yyyy',
  'MMM yyyy',
  'MMM-yyyy',
  'MMM-yy',
  'yyyy-MMM',
  "YYYY-'W'ww",
  "YYYY'W'ww",
];

const TIMES = ['HH:mm:ss', 'HH:mm', 'HH:mm:ss.SSS'];
const TIMESTAMP_DATES = ['yyyy-MM-dd', 'dd.MM.yyyy', 'dd/MM/yyyy', 'MM/dd/yyyy', 'yyyy/MM/dd'];
const ZONED = TIMES.flatMap((time) => [
  `yyyy-MM-ddT${time}XXX`,
  `yyyy-MM-dd ${time}XXX`,
  `yyyy-MM-dd ${time} XXX`,
]);
/** As spreadsheets of several countries write moments: hours of one digit, or of twelve. */
const LOOSE_TIMES = ['H:mm', 'H:mm:ss', 'h:mm a', 'h:mm:ss a'];
const LOOSE_DATES = ['M/d/yyyy', 'd/M/yyyy', 'd.M.yyyy', 'M/d/yy', 'yyyy-MM-dd', 'MMM d, yyyy', 'd MMM yyyy'];

export const TIMESTAMP_PATTERNS = [
  ...TIMESTAMP_DATES.flatMap((day) => TIMES.flatMap((time) => [`${day} ${time}`, `${day}T${time}`])),
  ...ZONED,
  ...LOOSE_DATES.flatMap((day) => LOOSE_TIMES.map((time) => `${day} ${time}`)),
];

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
