import { aggregateNamed, functionNamed, RESERVED, tokenize } from '@crease/core/formula';

export type MarkKind = 'keyword' | 'function' | 'text' | 'number' | 'comment';

/** A stretch of a formula that is written in a way of its own. */
export interface FormulaMark {
  readonly start: number;
  readonly end: number;
  readonly kind: MarkKind;
}

/**
 * What of a formula is marked, in its order: cut by the core's own lexer, also where the formula has faults.
 */
export function formulaMarks(source: string): FormulaMark[] {
  const { tokens, comments } = tokenize(source);
  const marks: FormulaMark[] = comments.map(({ start, end }) => ({ start, end, kind: 'comment' }));
  for (const { kind, text, start, end } of tokens) {
    if (kind === 'text' || kind === 'number') marks.push({ start, end, kind });
    if (kind !== 'name') continue;
    if (RESERVED.has(text)) marks.push({ start, end, kind: 'keyword' });
    else if (functionNamed(text) || aggregateNamed(text)) marks.push({ start, end, kind: 'function' });
  }
  return marks.sort((a, b) => a.start - b.start);
}
