const whole = new Intl.NumberFormat('en');

/** A number with thousands separators, as it stands in a sentence. */
export const numberText = (n: number): string => whole.format(n);

/** A number with its noun: `1 row`, `1,200 rows`. */
export const counted = (n: number, one: string, several = `${one}s`): string =>
  `${numberText(n)} ${n === 1 ? one : several}`;
