import { counted, numberText } from '../../values/index.ts';
import type { Evidence } from '../claim.ts';

export { counted, numberText as number };

/** How many of the rows that were checked speak against a claim. */
export const rowsText = ({ against, checked }: Evidence): string =>
  `${numberText(against)} of ${counted(checked, 'row')}`;

/** A verb in the number of what speaks against a claim. */
export const verb = ({ against }: Evidence, one: string, several: string): string =>
  against === 1 ? one : several;
