import type { DataType } from '../values/index.ts';
import {
  BOOLEAN,
  DATE,
  DATE_PATTERNS,
  datePattern,
  decimal,
  DOUBLE,
  INTEGER,
  MAX_PRECISION,
  parseExact,
  TEXT,
  textReader,
  TIMESTAMP,
  TIMESTAMP_PATTERNS,
} from '../values/index.ts';

/** A guessed type with what speaks for it. */
export interface TypeGuess {
  readonly type: DataType;
  readonly pattern?: string;
  readonly decimalComma?: boolean;
  /** In plain words, for the person who accepts or corrects it. */
  readonly reason: string;
}

/**
 * The narrowest type that all distinct texts of a column have (nulls left out).
 * Whole numbers with leading zeros stay text: they are codes, and the zeros belong to them.
 */
export function guessType(texts: readonly string[]): TypeGuess {
  if (texts.length === 0) return { type: TEXT, reason: 'no values' };
  if (texts.every((text) => /^(true|false)$/i.test(text)) || (texts.length === 2 && /^(t,f|f,t|yes,no|no,yes)$/i.test(texts.join(',')))) {
    return { type: BOOLEAN, reason: 'two truth values' };
  }
  return (
    guessNumber(texts, false) ??
    guessMoment(texts) ??
    guessNumber(texts, true) ?? { type: TEXT, reason: 'not all values are numbers or dates' }
  );
}

function guessNumber(texts: readonly string[], decimalComma: boolean): TypeGuess | undefined {
  let [whole, scale] = [0, 0];
  const plain = decimalComma ? texts.map((text) => text.replace(',', '.')) : texts;
  if (decimalComma && plain.some((text, i) => text !== texts[i] && texts[i]!.includes('.'))) return undefined;
  for (const text of plain) {
    const parsed = parseExact(text);
    if (!parsed) {
      const double = textReader(DOUBLE);
      return !decimalComma && plain.every((t) => double(t) !== undefined) ? { type: DOUBLE, reason: 'numbers with exponents' } : undefined;
    }
    if (/^[+-]?0\d/.test(text) && !text.includes('.')) {
      if (plain.every((t) => /^\d+$/.test(t)) && !looksLikeDays(plain)) return { type: TEXT, reason: 'digits with leading zeros: a code' };
      return undefined;
    }
    if (text.includes('.')) scale = Math.max(scale, parsed.scale);
    whole = Math.max(whole, parsed.digits - parsed.scale);
  }
  if (scale === 0) {
    if (looksLikeDays(plain)) return { type: DATE, pattern: 'yyyyMMdd', reason: 'eight digits that are all days' };
    const reader = textReader(INTEGER);
    return plain.every((text) => reader(text) !== undefined)
      ? { type: INTEGER, reason: 'whole numbers' }
      : { type: TEXT, reason: 'digits, too many for 64 bits' };
  }
  if (whole + scale > MAX_PRECISION) return { type: DOUBLE, reason: 'numbers with very many digits' };
  // Headroom of two digits before the point, so that a somewhat larger amount still fits.
  const type = decimal(Math.max(whole, 1) + scale + 2, scale);
  return { type, ...(decimalComma ? { decimalComma } : {}), reason: `numbers with up to ${scale} decimals` };
}

const looksLikeDays = (texts: readonly string[]): boolean => {
  const pattern = datePattern('yyyyMMdd')!;
  return texts.length > 3 && texts.every((text) => /^(19|20)\d{6}$/.test(text) && pattern.parseDate(text) !== undefined);
};

function guessMoment(texts: readonly string[]): TypeGuess | undefined {
  for (const text of DATE_PATTERNS) {
    const pattern = datePattern(text)!;
    if (texts.every((value) => pattern.parseDate(value) !== undefined))
      return { type: DATE, pattern: text, reason: `days written as ${text}` };
  }
  for (const text of TIMESTAMP_PATTERNS) {
    const pattern = datePattern(text)!;
    if (texts.every((value) => pattern.parseTimestamp(value) !== undefined))
      return { type: TIMESTAMP, pattern: text, reason: `moments written as ${text}` };
  }
  return undefined;
}
