import type { Evidence } from '../claim.ts';

const whole = new Intl.NumberFormat('en');

/** A number with thousands separators. */
export const number = (n: number): string => whole.format(n);

/** A number with its noun: `1 row`, `1,200 rows`. */
export const counted = (n: number, one: string, several = `${one}s`): string =>
  `${number(n)} ${n === 1 ? one : several}`;

/** How many of the rows that were checked speak against a claim. */
export const rowsText = ({ against, checked }: Evidence): string =>
  `${number(against)} of ${counted(checked, 'row')}`;

/** A verb in the number of what speaks against a claim. */
export const verb = ({ against }: Evidence, one: string, several: string): string =>
  against === 1 ? one : several;
