import type { Token } from './lexer.ts';
import type { FormulaFault } from './source.ts';
import type { Expression } from './tree.ts';
import { numberText } from '../values/index.ts';

// How large a formula may be: all that walks its tree goes down it by calls, also in the database that
// answers in SQL.

/** The most characters of a formula. */
const MOST_CHARACTERS = 20_000;
/** The deepest that parentheses, cases and signs may nest. */
const MOST_NESTED = 100;
/** The deepest that a tree may be: a chain of operators goes one deeper with each; SQLite takes 1,000. */
const MOST_DEEP = 400;

const number = numberText;

/** The fault of a formula that is too long, or nests too deep to be parsed; undefined where it is neither. */
export function sizeFault(source: string, tokens: readonly Token[]): FormulaFault | undefined {
  if (source.length > MOST_CHARACTERS)
    return {
      start: MOST_CHARACTERS,
      end: source.length,
      message: `the formula has ${number(source.length)} characters, the most is ${number(MOST_CHARACTERS)}: part it into measures or columns`,
    };
  let [nested, signs] = [0, 0];
  for (const token of tokens) {
    const { text, kind } = token;
    const isWord = kind === 'name' || kind === 'symbol';
    if (isWord && (text === '(' || text === 'case')) nested++;
    if (isWord && (text === ')' || text === 'end') && nested > 0) nested--;
    signs = isWord && (text === 'not' || text === '-' || text === '+') ? signs + 1 : 0;
    if (nested > MOST_NESTED || signs > MOST_NESTED)
      return {
        start: token.start,
        end: token.end,
        message: `it nests deeper than ${MOST_NESTED} levels here: part it into measures or columns`,
      };
  }
  return undefined;
}

/**
 * The fault of a tree that is too deep, at the part that is; undefined where it is not. Walks without calling
 * itself.
 */
export function depthFault(tree: Expression): FormulaFault | undefined {
  const open: { node: object; depth: number }[] = [{ node: tree, depth: 1 }];
  for (let next = open.pop(); next; next = open.pop()) {
    const { node, depth } = next;
    const isNode = 'kind' in node;
    if (isNode && depth > MOST_DEEP) {
      const { start, end } = node as unknown as { start: number; end: number };
      return {
        start,
        end,
        message: `more than ${MOST_DEEP} operations are nested here: split it into measures or columns`,
      };
    }
    for (const child of Object.values(node) as unknown[])
      if (child !== null && typeof child === 'object')
        open.push({ node: child, depth: depth + (isNode ? 1 : 0) });
  }
  return undefined;
}
