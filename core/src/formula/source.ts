/** A stretch of a formula's text: UTF-16 offsets, the end not included. */
export interface Span {
  readonly start: number;
  readonly end: number;
}

/**
 * Something wrong in a formula: where, what, and where there is one a suggestion (already part of the
 * message).
 */
export interface FormulaFault extends Span {
  readonly message: string;
}

export const spanOf = (first: Span, last: Span): Span => ({ start: first.start, end: last.end });

/** Line and column, both from 1, of an offset. */
export function placeOf(text: string, offset: number): { line: number; column: number } {
  const lines = text.slice(0, offset).split('\n');
  return { line: lines.length, column: lines.at(-1)!.length + 1 };
}
