import type { DataType, DatePattern, TextReading } from '../values/index.ts';
import {
  BOOLEAN,
  DATE,
  DAY_MICROS,
  civilFromDays,
  DATE_PATTERNS,
  datePattern,
  decimal,
  DOUBLE,
  EPOCH_PATTERNS,
  INTEGER,
  MAX_PRECISION,
  parseExact,
  TEXT,
  textReader,
  TIMESTAMP,
  TIMESTAMP_PATTERNS,
  plainNumber,
  guessNumberPattern,
  isNumeric,
  numberPattern,
} from '../values/index.ts';

/** A guessed type with what speaks for it. */
export interface TypeGuess {
  readonly type: DataType;
  readonly pattern?: string;
  readonly decimalComma?: boolean;
  readonly thousands?: string;
  /** Another pattern that all values fit as well: which day it is then is not told by them. */
  readonly alsoFits?: string;
  /** In plain words, for the person who accepts or corrects it. */
  readonly reason: string;
}

/**
 * The narrowest type that all distinct texts of a column have (nulls left out).
 * Whole numbers with leading zeros stay text: they are codes, and the zeros belong to them.
 */
export function guessType(texts: readonly string[]): TypeGuess {
  if (texts.length === 0) return { type: TEXT, reason: 'no values' };
  if (
    texts.every((text) => /^(true|false)$/i.test(text)) ||
    (texts.length === 2 && /^(t,f|f,t|yes,no|no,yes)$/i.test(texts.join(',')))
  ) {
    return { type: BOOLEAN, reason: 'two truth values' };
  }
  const written = (of: TextReading) => guessNumber(texts, of);
  return (
    written({}) ??
    guessMoment(texts) ??
    grouped(texts) ??
    written({ decimalComma: true }) ??
    withUnit(texts) ?? { type: TEXT, reason: 'not all values are numbers or dates' }
  );
}

/** Numbers with a currency, a percent sign or brackets around them. */
function withUnit(texts: readonly string[]): TypeGuess | undefined {
  const pattern = guessNumberPattern(texts);
  const around = pattern === undefined ? undefined : numberPattern(pattern);
  if (pattern === undefined || !around) return undefined;
  const inside = guessType([...new Set(texts.map(around.strip))]);
  if (!isNumeric(inside.type) || inside.pattern !== undefined) return undefined;
  return { ...inside, pattern, reason: `${inside.reason}, written as ${pattern}` };
}

/** A text of a column with the rows that hold it. */
interface CountedText {
  readonly text: string;
  readonly rows: number;
}
/** So much of the rows must fit a type that not all do. */
const NEARLY_ALL = 0.95;
/** Of fewer values nothing is said. */
const ENOUGH = 20;
/** Names of columns that hold days. */
const NAMED_DAY = /(^|[_ ])(date|day|dt)$/i;
/** What stands where a value is not known. */
const UNKNOWN =
  /^(n\.?\s*[/.]?\s*a\.?|none|null|nil|unknown|missing|tb[ad]|[-–—.?*]+|#(n\/a|ref!|value!|div\/0!|num!))$/i;

/**
 * As `guessType`, of a column of which nearly all rows are numbers or days: it has their type, and what does
 * not fit is said. Whole numbers are that only where the rest is what people write for a value that is not
 * known: beside other texts they are codes.
 */
export function guessNearly(texts: readonly CountedText[], name = ''): TypeGuess {
  if (
    NAMED_DAY.test(name) &&
    looksLikeDays(
      texts.map(({ text }) => text),
      1,
    )
  )
    return { type: DATE, pattern: 'yyyyMMdd', reason: 'eight digits that are all days, as its name says' };
  const epoch = guessEpoch(texts, name);
  if (epoch) return epoch;
  const all = guessType(texts.map(({ text }) => text));
  const rows = texts.reduce((sum, t) => sum + t.rows, 0);
  if (all.type.kind !== 'text' || rows < ENOUGH) return all;
  const known = texts.filter(({ text }) => !UNKNOWN.test(text.trim()));
  const found = nearly(known, rows) ?? (texts.length < ENOUGH ? undefined : nearly(ofMostForms(texts), rows));
  return found ?? all;
}

/** Names of columns that hold moments. */
const NAMED_MOMENT = /(^|[_ ])(at|ts|time|timestamp|epoch|unix|unixtime|utc|created|updated|modified)$/i;
/** Numbers of a unit since 1970 that are moments of these years, which other numbers hardly all are. */
const EPOCH_YEARS = { from: 1990, to: 2050 } as const;
const YEAR_SECONDS = 31_556_952;

/** Seconds or milliseconds since 1970, where the name says that a column holds moments. */
function guessEpoch(texts: readonly CountedText[], name: string): TypeGuess | undefined {
  if (!NAMED_MOMENT.test(name) || texts.length < ENOUGH_DAYS) return undefined;
  for (const [pattern, micros] of Object.entries(EPOCH_PATTERNS)) {
    const [least, most] = [EPOCH_YEARS.from, EPOCH_YEARS.to].map(
      (year) => ((year - 1970) * YEAR_SECONDS * 1_000_000) / micros,
    );
    const fits = ({ text }: CountedText) =>
      /^\d{9,13}(\.\d+)?$/.test(text) && Number(text) >= least! && Number(text) <= most!;
    if (texts.every(fits))
      return { type: TIMESTAMP, pattern, reason: `${pattern.slice(6)} since 1970, in UTC, as its name says` };
  }
  return undefined;
}

function nearly(texts: readonly CountedText[], rows: number): TypeGuess | undefined {
  const held = texts.reduce((sum, t) => sum + t.rows, 0);
  if (held === rows || held < rows * NEARLY_ALL || texts.length === 0) return undefined;
  const guess = guessType(texts.map(({ text }) => text));
  const isKnownGap = guess.type.kind !== 'text' && guess.type.kind !== 'boolean';
  return isKnownGap
    ? { ...guess, reason: `${guess.reason} in ${held} of ${rows} rows; the others would be null` }
    : undefined;
}

/** Texts that can be days, moments or numbers with decimals; whole numbers beside texts are codes. */
const ofMostForms = (texts: readonly CountedText[]): CountedText[] => {
  const parsed = DATE_PATTERNS.concat(TIMESTAMP_PATTERNS).map((text) => {
    const pattern = datePattern(text)!;
    const read = pattern.hasTime ? pattern.parseTimestamp : pattern.parseDate;
    const sample = texts.slice(0, SAMPLE).filter(({ text: value }) => read(value) !== undefined).length;
    return { read, sample };
  });
  const best = parsed.reduce((a, b) => (b.sample > a.sample ? b : a));
  if (best.sample > 0) return texts.filter(({ text }) => best.read(text) !== undefined);
  const numbers = texts.filter(({ text }) => /^[-+]?[\d.,]*\d$/.test(text));
  return numbers.some(({ text }) => /[.,]/.test(text)) ? numbers : [];
};
const SAMPLE = 100;

const SEPARATORS: readonly [string, string][] = [
  [',', 'commas'],
  ['.', 'points'],
  [' ', 'blanks'],
  ['\u00a0', 'blanks'],
  ['\u202f', 'blanks'],
  ["'", 'apostrophes'],
];

/** Numbers in groups of three digits, at least one of which has a group. */
function grouped(texts: readonly string[]): TypeGuess | undefined {
  for (const [thousands, called] of SEPARATORS) {
    if (!texts.some((text) => text.includes(thousands))) continue;
    for (const decimalComma of [false, true]) {
      if (thousands === (decimalComma ? ',' : '.')) continue;
      const guess = guessNumber(texts, { thousands, ...(decimalComma ? { decimalComma } : {}) });
      if (guess) return { ...guess, thousands, reason: `${guess.reason}, thousands separated by ${called}` };
    }
  }
  return undefined;
}

/**
 * Numbers with points that, in a file whose other columns have commas before their decimals, stand between
 * thousands: 1.120 is more than a thousand there. Undefined where the points cannot be that.
 */
export function pointsAsGroups(texts: readonly string[]): TypeGuess | undefined {
  const guess = guessNumber(texts, { thousands: '.', decimalComma: true });
  return (
    guess && {
      ...guess,
      thousands: '.',
      decimalComma: true,
      reason: `${guess.reason}, points between thousands, since other values have decimal commas`,
    }
  );
}

/** Ways to write numbers, the plain one first. */
const NUMBER_STYLES: readonly TextReading[] = [
  {},
  { decimalComma: true },
  ...SEPARATORS.flatMap(([thousands]) =>
    [false, true]
      .filter((comma) => thousands !== (comma ? ',' : '.'))
      .map((comma) => ({ thousands, ...(comma ? { decimalComma: true } : {}) })),
  ),
];

/**
 * A type with the way of writing that most rows fit, where it is not said: of days their pattern, of numbers
 * their separators.
 */
export function writtenAs<R extends TextReading & { readonly type: DataType }>(
  said: R,
  texts: readonly { text: string; rows: number }[],
): R {
  const plain = stylesOf(said);
  if (plain.length === 0) return said;
  // Numbers may have a unit around them.
  const pattern = isNumeric(said.type) ? guessNumberPattern(texts.map(({ text }) => text)) : undefined;
  const styles = pattern === undefined ? plain : [...plain, ...plain.map((s) => ({ ...s, pattern }))];
  const fitting = styles.map((style) => {
    const read = textReader(said.type, style);
    return texts.reduce((sum, { text, rows }) => sum + (read(text) === undefined ? 0 : rows), 0);
  });
  // Of styles that fit alike the first.
  return { ...said, ...styles[fitting.indexOf(Math.max(...fitting))] };
}

function stylesOf({
  type,
  pattern,
  decimalComma,
  thousands,
}: TextReading & { readonly type: DataType }): readonly TextReading[] {
  if (type.kind === 'date')
    return pattern === undefined ? DATE_PATTERNS.map((text) => ({ pattern: text })) : [];
  if (type.kind === 'timestamp')
    return pattern === undefined ? TIMESTAMP_PATTERNS.map((text) => ({ pattern: text })) : [];
  const isNumber = type.kind === 'integer' || type.kind === 'decimal' || type.kind === 'double';
  return isNumber && decimalComma === undefined && thousands === undefined ? NUMBER_STYLES : [];
}

/** What files write for a value that is not there. */
const NULL_MARKERS = [
  'NULL',
  'null',
  'Null',
  '(null)',
  '\\N',
  'NA',
  'N/A',
  'n/a',
  '#N/A',
  'NaN',
  'nan',
  'None',
  'none',
  'nil',
  'N.A.',
  'n.a.',
  '-',
  '--',
  '.',
  '?',
];

/**
 * Texts that stand for null in a file, by the distinct texts of its columns: the empty one, and a marker
 * where without it a column would be one of numbers or days. A dash among names stays a name.
 */
export function detectNulls(columns: readonly (readonly string[])[]): string[] {
  const found = new Set(['']);
  for (const texts of columns) {
    const markers = texts.filter((text) => NULL_MARKERS.includes(text));
    if (markers.length === 0) continue;
    const rest = texts.filter((text) => text !== '' && !NULL_MARKERS.includes(text));
    if (rest.length > 0 && guessType(rest).type.kind !== 'text')
      for (const marker of markers) found.add(marker);
  }
  return [...found];
}

function guessNumber(texts: readonly string[], written: TextReading): TypeGuess | undefined {
  const { decimalComma } = written;
  let [whole, scale] = [0, 0];
  const toPlain = plainNumber(written);
  const plain: string[] = [];
  for (const text of texts) {
    const number =
      decimalComma && written.thousands === undefined && text.includes(',') && text.includes('.')
        ? undefined
        : toPlain(text);
    if (number === undefined) return undefined;
    plain.push(number);
  }
  for (const text of plain) {
    const parsed = parseExact(text);
    if (!parsed) {
      const double = textReader(DOUBLE);
      return !decimalComma && written.thousands === undefined && plain.every((t) => double(t) !== undefined)
        ? { type: DOUBLE, reason: 'numbers with exponents' }
        : undefined;
    }
    if (/^[+-]?0\d/.test(text) && !text.includes('.')) {
      if (plain.every((t) => /^\d+$/.test(t)) && !looksLikeDays(plain))
        return { type: TEXT, reason: 'digits with leading zeros: a code' };
      return undefined;
    }
    if (text.includes('.')) scale = Math.max(scale, parsed.scale);
    whole = Math.max(whole, parsed.digits - parsed.scale);
  }
  if (scale === 0) {
    if (looksLikeDays(plain))
      return { type: DATE, pattern: 'yyyyMMdd', reason: 'eight digits that are all days' };
    const reader = textReader(INTEGER);
    return plain.every((text) => reader(text) !== undefined)
      ? { type: INTEGER, reason: 'whole numbers' }
      : { type: TEXT, reason: 'digits, too many for 64 bits' };
  }
  if (scale >= BINARY_SCALE && plain.every((text) => significant(text) <= BINARY_DIGITS))
    return { type: DOUBLE, reason: `up to ${scale} decimals, as binary fractions have them` };
  if (whole + scale > MAX_PRECISION) return { type: DOUBLE, reason: 'numbers with very many digits' };
  // Headroom of two digits before the point, so that a somewhat larger amount still fits.
  const type = decimal(Math.max(whole, 1) + scale + 2, scale);
  return { type, ...(decimalComma ? { decimalComma } : {}), reason: `numbers with up to ${scale} decimals` };
}

/**
 * Decimals that nobody writes by hand, and digits that are enough to tell all doubles apart (IEEE 754): such
 * numbers were printed by a program that works with binary fractions.
 */
const BINARY_SCALE = 13;
const BINARY_DIGITS = 17;
const significant = (text: string): number => text.replace(/[^\d]/g, '').replace(/^0+|0+$/g, '').length;

/** Days that stand for no end. */
const OPEN_ENDS = new Set(['29991231', '99991231']);

/** Of fewer different numbers it is not said that they are days, if no name says so. */
const ENOUGH_DAYS = 4;

const looksLikeDays = (texts: readonly string[], least = ENOUGH_DAYS): boolean => {
  const pattern = datePattern('yyyyMMdd')!;
  const days = texts.filter((text) => !OPEN_ENDS.has(text));
  return (
    days.length >= least &&
    days.every((text) => /^(19|20)\d{6}$/.test(text) && pattern.parseDate(text) !== undefined)
  );
};

function guessMoment(texts: readonly string[]): TypeGuess | undefined {
  const fits = (of: readonly string[], read: (pattern: DatePattern, text: string) => unknown) =>
    of.filter((text) => {
      const pattern = datePattern(text)!;
      return texts.every((value) => read(pattern, value) !== undefined);
    });
  const days = fits(DATE_PATTERNS, (pattern, text) => pattern.parseDate(text));
  const moments = days.length > 0 ? [] : fits(TIMESTAMP_PATTERNS, (p, text) => p.parseTimestamp(text));
  const [pattern] = days.length > 0 ? days : moments;
  if (pattern === undefined) return undefined;
  const [type, called] = days.length > 0 ? [DATE, 'days'] : [TIMESTAMP, 'moments'];
  const alsoFits = (days.length > 0 ? days : moments).find((other) => isOtherOrder(pattern, other));
  const zone = pattern.includes('XXX') ? ', converted to UTC' : '';
  if (alsoFits !== undefined && areOfMonths(texts, alsoFits) && !areOfMonths(texts, pattern))
    return {
      type,
      pattern: alsoFits,
      reason: `${called} written as ${alsoFits}: one day of each month, where ${pattern} would be days of one month`,
    };
  return {
    type,
    pattern,
    ...(alsoFits === undefined ? {} : { alsoFits }),
    reason:
      alsoFits === undefined
        ? `${called} written as ${pattern}${zone}`
        : `${called} written as ${pattern}, or as ${alsoFits}: no day is above 12, so both are possible`,
  };
}

/** Different days from which on it is no accident that all are the same day of their months. */
const SEVERAL_MONTHS = 6;

/** Whether texts read by a pattern are one day of several months each: monthly figures. */
function areOfMonths(texts: readonly string[], pattern: string): boolean {
  const { hasTime, parseDate, parseTimestamp } = datePattern(pattern)!;
  if (texts.length < SEVERAL_MONTHS) return false;
  const days = texts.map((text) =>
    hasTime ? Math.floor(Number(parseTimestamp(text)) / DAY_MICROS) : parseDate(text)!,
  );
  const parts = days.map((day) => civilFromDays(day));
  return new Set(parts.map((d) => d.day)).size === 1 && new Set(parts.map((d) => d.month)).size > 1;
}

/** Whether of two patterns one has the day where the other has the month. */
function isOtherOrder(a: string, b: string): boolean {
  const order = (pattern: string) => Math.sign(pattern.search(/d/) - pattern.search(/M/));
  const isNumeric = (pattern: string) => /d/.test(pattern) && /M/.test(pattern) && !pattern.includes('MMM');
  return isNumeric(a) && isNumeric(b) && order(a) !== order(b);
}

/** A guess of days with the order that other columns of its file have, where its own values do not tell. */
export function inOrderOf(guess: TypeGuess, others: readonly TypeGuess[]): TypeGuess | undefined {
  const { pattern, alsoFits } = guess;
  if (pattern === undefined || alsoFits === undefined) return undefined;
  // Where the year comes first, days are written so everywhere: that tells nothing of the others.
  const told = others.find(
    (o) => o.pattern !== undefined && o.alsoFits === undefined && /^(d.*M|M.*d)/.test(o.pattern),
  );
  if (told?.pattern === undefined || !isOtherOrder(pattern, told.pattern)) return undefined;
  return {
    type: guess.type,
    pattern: alsoFits,
    reason: `written as ${alsoFits}: no day is above 12, but others in this file are written as ${told.pattern}`,
  };
}
