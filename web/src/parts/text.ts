import { numberFormat } from './numberText.ts';

const whole = numberFormat();
const short = numberFormat({ notation: 'compact', maximumFractionDigits: 1 });

export const count = (n: number): string => whole.format(n);
/** 12,345,678 as 12.3M; small numbers in full. */
export const compact = (n: number): string => (n < 10_000 ? whole.format(n) : short.format(n));

const UNITS = ['B', 'kB', 'MB', 'GB', 'TB'];
/** Bytes in decimal units, as disks are sold: 1 kB is 1,000 B. */
export function bytes(n: number): string {
  let [value, unit] = [n, 0];
  while (value >= 1000 && unit < UNITS.length - 1) [value, unit] = [value / 1000, unit + 1];
  return `${unit === 0 ? value : numberFormat({ maximumSignificantDigits: 3 }).format(value)} ${UNITS[unit]}`;
}

/** The smallest share that two decimals tell from none. */
const LEAST_SHARE = 0.00005;

export const percent = (part: number): string =>
  part > 0 && part < LEAST_SHARE
    ? `< ${percent(2 * LEAST_SHARE)}`
    : numberFormat({
        style: 'percent',
        maximumFractionDigits: part > 0 && part < 0.01 ? 2 : 1,
      }).format(part);

let moments: Intl.DateTimeFormat | undefined;

/** A day and time as the reader writes them. */
export const moment = (iso: string): string =>
  (moments ??= new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short' })).format(
    new Date(iso),
  );

/** One or several of a thing: (1, 'row') gives "1 row". */
export const many = (n: number, what: string, several = `${what}s`): string =>
  `${count(n)} ${n === 1 ? what : several}`;

export function cellText(value: unknown): string {
  return value === null || value === undefined
    ? ''
    : typeof value === 'boolean'
      ? value
        ? 'true'
        : 'false'
      : String(value);
}

/** A time of milliseconds as people say it. */
export const seconds = (ms: number): string =>
  ms < 10_000
    ? `${(ms / 1000).toFixed(1)} s`
    : ms < 120_000
      ? `${Math.round(ms / 1000)} s`
      : `${Math.round(ms / 60_000)} min`;
