/**
 * Patterns of numbers with something before or behind them: one `0` stands for the number, all else for
 * itself, as in `$0`, `0 €`, `0%`; `;(0)` behind says that negative numbers stand in brackets, as accountants
 * write them.
 */
export interface NumberPattern {
  /** What stands before and behind, without blanks. */
  readonly before: string;
  readonly behind: string;
  /** The number alone, with a minus where it is negative; as it is where it has nothing around it. */
  strip(text: string): string;
}

const NEGATIVE = ';(0)';

/** Undefined for a text that is no such pattern. */
export function numberPattern(text: string): NumberPattern | undefined {
  const inBrackets = text.endsWith(NEGATIVE);
  const plain = inBrackets ? text.slice(0, -NEGATIVE.length) : text;
  const parts = plain.split('0');
  if (parts.length !== 2) return undefined;
  const [before, behind] = [parts[0]!.trim(), parts[1]!.trim()];
  return {
    before,
    behind,
    strip: (cell) => {
      let number = cell.trim();
      let isNegative = false;
      if (inBrackets && number.startsWith('(') && number.endsWith(')'))
        [number, isNegative] = [number.slice(1, -1).trim(), true];
      const sign = /^[-\u2212]/.test(number);
      if (sign) [number, isNegative] = [number.slice(1).trim(), !isNegative];
      if (before !== '' && number.startsWith(before)) number = number.slice(before.length).trim();
      if (behind !== '' && number.endsWith(behind)) number = number.slice(0, -behind.length).trim();
      if (!sign && /^[-\u2212]/.test(number)) [number, isNegative] = [number.slice(1).trim(), !isNegative];
      return isNegative ? `-${number}` : number;
    },
  };
}

const CODES = 'USD EUR GBP CHF JPY CAD AUD NZD SEK NOK DKK PLN CZK HUF INR CNY BRL MXN ZAR TRY ILS KRW'.split(
  ' ',
);
const UNIT = String.raw`(?:\p{Sc}|(?:${CODES.join('|')})|Fr\.?|kr\.?|zł|Kč|R\$)`;
const WITH_UNIT = new RegExp(
  String.raw`^\(?\s*[-\u2212+]?\s*(${UNIT})?\s*[-\u2212]?\s*\d[\d.,'\s\u00a0\u202f]*?(\s*(?:${UNIT}|%|‰))?\s*\)?$`,
  'u',
);
/** So many of the numbers must have what stands around them. */
const MOST = 0.5;

/**
 * The pattern that texts of numbers with a currency, a percent sign or accountants' brackets are written in;
 * undefined where they are not, or in more than one currency.
 */
export function guessNumberPattern(texts: readonly string[]): string | undefined {
  const [before, behind] = [new Set<string>(), new Set<string>()];
  let [around, brackets] = [0, 0];
  for (const text of texts) {
    const found = WITH_UNIT.exec(text.trim());
    if (!found) return undefined;
    const [, first, last] = found;
    if (first !== undefined) before.add(first);
    if (last !== undefined) behind.add(last.trim() === last ? last : ` ${last.trim()}`);
    if (first !== undefined || last !== undefined) around++;
    if (text.trim().startsWith('(')) brackets++;
  }
  if (before.size > 1 || behind.size > 1 || (around === 0 && brackets === 0)) return undefined;
  if (around > 0 && around < texts.length * MOST) return undefined;
  return `${[...before][0] ?? ''}0${[...behind][0] ?? ''}${brackets > 0 ? NEGATIVE : ''}`;
}

/** How numbers are shown that are written with a unit; nothing for any other pattern. */
export function unitFormat(pattern: string | undefined): { format?: { unit: string } } {
  const found = pattern === undefined ? undefined : numberPattern(pattern);
  const unit = found && (found.before || found.behind);
  return unit ? { format: { unit } } : {};
}
