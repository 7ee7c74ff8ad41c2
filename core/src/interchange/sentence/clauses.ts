import type { FormulaFault, Token } from '../../formula/index.ts';
import { tokenize } from '../../formula/index.ts';
import type { Clause } from './words.ts';

/** A clause with what stands in it: its tokens, without the words that open it. */
export interface ClausePart {
  readonly clause: Clause;
  /** Where its opening words begin and end. */
  readonly start: number;
  readonly bodyStart: number;
  readonly end: number;
  readonly tokens: readonly Token[];
}

/** So far a question is open within parentheses and `case … end`, before each token. */
function depths(tokens: readonly Token[]): number[] {
  let depth = 0;
  return tokens.map(({ kind, text }) => {
    if ((kind === 'symbol' && text === ')') || (kind === 'name' && text === 'end')) {
      depth = Math.max(0, depth - 1);
      return depth;
    }
    const before = depth;
    if ((kind === 'symbol' && text === '(') || (kind === 'name' && text === 'case')) depth++;
    return before;
  });
}

/** The clause that begins at a token, and of how many words its opening is made. */
function opened(
  tokens: readonly Token[],
  at: number,
  inside: Clause | undefined,
): [Clause, number] | undefined {
  const { kind, text } = tokens[at]!;
  if (kind !== 'name') return undefined;
  const next = tokens[at + 1];
  switch (text) {
    case 'show':
      return at === 0 ? ['show', 1] : undefined;
    case 'across':
    case 'having':
      return [text, 1];
    case 'where':
      // A condition is made of formulas, in which the word may stand.
      return inside === 'where' || inside === 'having' ? undefined : ['where', 1];
    case 'by':
      return inside === 'show' || inside === 'across' ? ['by', 1] : undefined;
    case 'top':
    case 'limit':
      return next?.kind === 'number' || next?.kind === 'end' ? [text, 1] : undefined;
    case 'sorted':
      return next?.text === 'by' && next.kind === 'name' ? ['sorted', 2] : undefined;
    case 'as':
      return next?.text === 'of' && next.kind === 'name' ? ['as of', 2] : undefined;
    case 'with':
      return ['totals', 'subtotals', 'empty', 'unmatched'].includes(next?.text ?? '')
        ? ['with', 1]
        : undefined;
    default:
      return undefined;
  }
}

/** Cuts a question into its clauses; one that does not begin with a clause begins with `show`. */
export function clausesOf(source: string): { parts: ClausePart[]; faults: readonly FormulaFault[] } {
  const { tokens, faults } = tokenize(source);
  const depth = depths(tokens);
  const parts: (Omit<ClausePart, 'end'> & { end: number; tokens: Token[] })[] = [];
  for (let i = 0; tokens[i]!.kind !== 'end'; i++) {
    const token = tokens[i]!;
    const found = depth[i] === 0 ? opened(tokens, i, parts.at(-1)?.clause) : undefined;
    if (found) {
      const [clause, words] = found;
      i += words - 1;
      const { end } = tokens[i]!;
      parts.push({ clause, start: token.start, bodyStart: end, end, tokens: [] });
      continue;
    }
    if (parts.length === 0)
      parts.push({ clause: 'show', start: token.start, bodyStart: token.start, end: token.end, tokens: [] });
    const part = parts.at(-1)!;
    part.tokens.push(token);
    part.end = token.end;
  }
  return { parts, faults };
}

/** The clause that a place in a question belongs to; undefined before anything is written. */
export function clauseAt(source: string, at: number): Clause | undefined {
  return clausesOf(source).parts.findLast((part) => part.bodyStart < at)?.clause;
}

/** Cuts tokens at a symbol or word outside of parentheses. */
export function cutAt(tokens: readonly Token[], isCut: (token: Token, at: number) => boolean): Token[][] {
  const depth = depths(tokens);
  const cut: Token[][] = [[]];
  tokens.forEach((token, i) => {
    if (depth[i] === 0 && isCut(token, i)) cut.push([]);
    else cut.at(-1)!.push(token);
  });
  return cut;
}

/** Conditions that are joined by `and`; the one of `between` joins nothing, and `or` keeps them together. */
export function conditionsOf(tokens: readonly Token[]): Token[][] {
  const depth = depths(tokens);
  const isWord = (token: Token, word: string) => token.kind === 'name' && token.text === word;
  if (tokens.some((t, i) => depth[i] === 0 && isWord(t, 'or'))) return [[...tokens]];
  let between = 0;
  return cutAt(tokens, (token) => {
    if (isWord(token, 'between')) between++;
    if (!isWord(token, 'and')) return false;
    if (between === 0) return true;
    between--;
    return false;
  });
}

/** Whether a pair of parentheses is around all of the tokens. */
export function isWrapped(tokens: readonly Token[]): boolean {
  if (tokens[0]?.text !== '(' || tokens[0].kind !== 'symbol') return false;
  const depth = depths(tokens);
  const close = tokens.findIndex((t, i) => i > 0 && t.kind === 'symbol' && t.text === ')' && depth[i] === 0);
  return close === tokens.length - 1;
}
