/**
 * A word of the formula language that SQL lacks or that stands in a place of its own, or a period: one file
 * each, listed in `index.ts`.
 */
export interface Word {
  /** The word as it is looked up: the first one where there are several. */
  readonly word: string;
  /** How it is written, such as `M via relationship`. */
  readonly form: string;
  readonly documentation: string;
  /** A formula and its value as JSON over the sample library of `words.test.ts`, which evaluates it. */
  readonly example: { readonly formula: string; readonly gives: unknown };
}
