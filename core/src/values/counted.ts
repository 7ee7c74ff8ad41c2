/**
 * A number with thousands separators, as it stands in a sentence. Those of whole numbers are put in here: the
 * first `Intl.NumberFormat` of a thread takes some 20 ms, a tenth of what a command takes to start.
 */
export const numberText = (n: number): string =>
  Number.isSafeInteger(n) ? String(n).replace(/\B(?=(?:\d{3})+$)/g, ',') : n.toLocaleString('en');

/** A number with its noun: `1 row`, `1,200 rows`. */
export const counted = (n: number, one: string, several = `${one}s`): string =>
  `${numberText(n)} ${n === 1 ? one : several}`;

const BYTE_UNITS = ['B', 'kB', 'MB', 'GB', 'TB'];

/** Bytes in decimal units, three digits: 1,234,567 as `1.23 MB`. */
export function bytesText(bytes: number): string {
  let [value, unit] = [bytes, 0];
  while (value >= 1000 && unit < BYTE_UNITS.length - 1) [value, unit] = [value / 1000, unit + 1];
  return `${unit === 0 ? value : Number(value.toPrecision(3))} ${BYTE_UNITS[unit]}`;
}
