import { quoteName } from '@crease/core/formula';

/** A band: up to, not including, `below`; the last has no upper end. */
export interface Band {
  readonly name: string;
  readonly below: string;
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** What is wrong with bands, or undefined. Thresholds are numbers that rise; only the last band has none. */
export function bandsFault(bands: readonly Band[]): string | undefined {
  const limits = bands.slice(0, -1).map((b) => Number(b.below.trim() === '' ? NaN : b.below));
  if (bands.length < 2) return 'at least two bands';
  if (bands.some((b) => b.name.trim() === '')) return 'each band needs a name';
  if (limits.some((n) => !Number.isFinite(n)))
    return 'each band but the last needs the number at which it ends';
  if (limits.some((n, i) => i > 0 && n <= limits[i - 1]!)) return 'the numbers must rise from band to band';
  return undefined;
}

/** The `case` that puts a column's values into bands; null stays null. */
export function bandsFormula(column: string, bands: readonly Band[]): string {
  const name = quoteName(column);
  const lines = bands
    .slice(0, -1)
    .map((b) => `  when ${name} < ${b.below.trim()} then ${quoted(b.name.trim())}`);
  return [
    'case',
    `  when ${name} is null then null`,
    ...lines,
    `  else ${quoted(bands.at(-1)!.name.trim())}`,
    'end',
  ].join('\n');
}
